import { describe, expect, it } from '@jest/globals';
import { routing, type Condition } from '../contract/index.ts';
import { unknownVisit } from '../visits/index.ts';
import { manyRehearser, noResult, type ManyGround, type ManyVisitor } from './rehearseMany.ts';

const OFFER = (n: number): string => `0000000000000000000000000${n}`;
const pairing = (id: string, n: number, more: object = {}) => ({ id, offerIds: [OFFER(n)], ...more });
const routed = (when: Condition, ...otherwise: object[]) => ({
  offerId: '',
  landingPageId: '',
  routing: routing.parse({
    branches: [{ id: 'b', name: 'Dutch', when, pairings: [pairing('dutch', 1)] }],
    otherwise: { pairings: otherwise },
  }),
});
const NL: Condition = { on: 'country', op: 'is', values: ['NL'], zone: '' };
const NOW = Date.parse('2026-11-25T12:00:00Z');
const offers = {
  [OFFER(1)]: { isOpen: true, countries: ['NL', 'BE'] },
  [OFFER(2)]: { isOpen: true, countries: ['BE'] },
  [OFFER(3)]: { isOpen: false, countries: [] },
};
function ground(more: Partial<ManyGround> = {}): ManyGround {
  let seed = 1;
  // Any numbers that are spread evenly.
  const random = (): number => (seed = (seed * 16_807) % 2_147_483_647) / 2_147_483_647;
  return {
    zone: 'Europe/Brussels',
    nowMs: NOW,
    offerOf: (id) => offers[id],
    oddsOf: () => undefined,
    random,
    ...more,
  };
}
const from = (country: string, costMicros: bigint | null = 10_000n): ManyVisitor => ({
  visitor: {
    visit: { ...unknownVisit, country } as never,
    address: '',
    nowMs: NOW - 3 * 86_400_000,
    history: () => ({ hasConverted: false, offerIds: new Set() }),
  },
  costMicros,
});
function sendAll(routing: ReturnType<typeof routed>, visitors: ManyVisitor[], given = ground()) {
  const result = noResult();
  const send = manyRehearser(routing, given);
  for (const visitor of visitors) send(visitor, result);
  return result;
}
const visitsOf = (result: ReturnType<typeof noResult>) =>
  Object.fromEntries([...result.ways].map(([key, { visits }]) => [key, visits]));

describe('many visitors on paper', () => {
  it('go by the branches, and what is spent on them is added up', () => {
    const result = sendAll(routed(NL, pairing('rest', 2)), [from('NL'), from('NL', null), from('BE')]);
    expect(visitsOf(result)).toEqual({ [`b|dutch|${OFFER(1)}`]: 2, [`otherwise|rest|${OFFER(2)}`]: 1 });
    expect(result.all).toEqual({ visits: 3, spentMicros: 20_000n });
    expect([result.untaken.visits, result.unwanted.visits]).toEqual([0, 0]);
  });
  it('that an offer does not want are counted, with what they cost; an unknown country is not held against them', () => {
    const { unwanted } = sendAll(routed(NL, pairing('rest', 2)), [
      from('PT'),
      from('DK'),
      from('BE'),
      from(''),
    ]);
    expect(unwanted).toEqual({ visits: 2, spentMicros: 20_000n });
  });
  it('that no offer takes go to a fallback', () => {
    const { untaken, ways } = sendAll(routed(NL, pairing('rest', 3)), [from('PT')]);
    expect(untaken).toEqual({ visits: 1, spentMicros: 10_000n });
    expect([...ways.keys()]).toEqual(['otherwise|rest|']);
  });
  it('are split by weights, or by odds; one with a time of its own takes them while it is', () => {
    const many = Array.from({ length: 4000 }, () => from('PT'));
    const weighed = visitsOf(
      sendAll(routed(NL, pairing('one', 1, { weight: 3 }), pairing('two', 2, { weight: 1 })), many),
    );
    expect(weighed[`otherwise|one|${OFFER(1)}`]).toBeGreaterThan(2850);
    expect(weighed[`otherwise|one|${OFFER(1)}`]).toBeLessThan(3150);
    const over = pairing('one', 1, { to: '2026-11-25T11:00:00Z' });
    const timed = visitsOf(sendAll(routed(NL, over, pairing('two', 2)), many));
    expect(timed).toEqual({ [`otherwise|two|${OFFER(2)}`]: 4000 });
    const automatic = routed(NL, pairing('one', 1), pairing('two', 2));
    automatic.routing.otherwise.split = 'automatic';
    const odds = ground({ oddsOf: (id) => (id === 'one' ? 1 : 0) });
    expect(visitsOf(sendAll(automatic, many, odds))).toEqual({ [`otherwise|one|${OFFER(1)}`]: 4000 });
  });
});
