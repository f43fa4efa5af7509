import { describe, expect, it } from '@jest/globals';
import { campaignInput, offerInput, partInputs, partKinds, type PartKind } from '../contract/index.ts';
import { makingOrder, partLinks, relations, replaceReferences, usersFirst } from './index.ts';

const offer = offerInput.parse({
  name: 'Terrarium box',
  networkId: 'N',
  link: 'https://o.example/?c={click_id}',
  payouts: [
    { eventTypeId: '', country: '', amountMicros: '1', validFrom: '' },
    { eventTypeId: 'E1', country: '', amountMicros: '1', validFrom: '' },
  ],
  conversionsFrom: [{ eventTypeId: 'E2', channel: 'feed' }],
});

describe('the references of a record', () => {
  it('are found wherever they stand, with their place; empty ones are none', () => {
    expect(partLinks('offer', offer)).toEqual([
      { path: 'networkId', to: 'network', id: 'N' },
      { path: 'payouts.1.eventTypeId', to: 'event-type', id: 'E1' },
      { path: 'conversionsFrom.0.eventTypeId', to: 'event-type', id: 'E2' },
    ]);
    expect(partLinks('source', { reportEvents: ['A', 'B'] }).map((l) => l.path)).toEqual([
      'reportEvents.0',
      'reportEvents.1',
    ]);
    expect(
      partLinks('campaign', campaignInput.parse({ name: 'c', sourceId: 'S', offerId: 'O' })),
    ).toHaveLength(2);
  });
  it('stand in conditions of branches as well, however deep', () => {
    const asks = (on: string, ...values: string[]) => ({ on, op: 'is', values, zone: '' });
    const body = {
      sourceId: 'S',
      routing: {
        branches: [
          { when: { all: [asks('country', 'BE'), { not: { any: [asks('seen_offer', 'A', 'B')] } }] } },
          { when: asks('source_id', 'S2') },
        ],
      },
    };
    expect(partLinks('campaign', body).slice(1)).toEqual([
      { path: 'routing.branches.1.when.values.0', to: 'source', id: 'S2' },
      { path: 'routing.branches.0.when.all.1.not.any.0.values.0', to: 'offer', id: 'A' },
      { path: 'routing.branches.0.when.all.1.not.any.0.values.1', to: 'offer', id: 'B' },
    ]);
  });
  it('are swapped without touching the record itself', () => {
    const swapped = replaceReferences('offer', offer, (id) => id.toLowerCase());
    expect(swapped.networkId).toBe('n');
    expect(offer.networkId).toBe('N');
  });
});

it('every field of a kind that ends in an ID of another record is a relation', () => {
  const named = /(^|[a-z])(Id|Events)$/;
  for (const kind of partKinds) {
    const fields = Object.keys(partInputs[kind].shape).filter((f) => named.test(f));
    const known = relations[kind].map((r) => r.path.replace(/\[\].*$/, ''));
    // A shared routing is no part.
    const others = fields.filter((f) => !known.includes(f) && f !== 'sharedRoutingId');
    expect([kind, others]).toEqual([kind, []]);
  }
});

it('each kind comes after those that it refers to, and before its users', () => {
  expect([...makingOrder].sort()).toEqual([...partKinds].sort());
  const at = (kind: PartKind): number => makingOrder.indexOf(kind);
  for (const kind of partKinds)
    for (const { to } of relations[kind]) if (to !== kind) expect(at(to)).toBeLessThan(at(kind));
  expect(usersFirst[0]).toBe(makingOrder.at(-1));
});
