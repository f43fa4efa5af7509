import { describe, expect, it } from '@jest/globals';
import { networkInput, offerInput } from '@tracheon/core/contract';
import { unknownVisit } from '@tracheon/core/visits';
import { compileLink, type CompiledLink } from '@tracheon/core/links';
import {
  emptySnapshot,
  type CompiledCampaign,
  type CompiledOffer,
  type Snapshot,
} from '../snapshot/compiled.ts';
import { offerDays, startOfDay } from '@tracheon/core/routing';
import { route, takesVisitors } from './sendable.ts';

const NOON = Date.parse('2026-11-25T12:00:00Z');
function offer(id: string, more: object = {}): CompiledOffer {
  const body = offerInput.parse({ name: id, networkId: 'N', link: 'https://o.example/', ...more });
  const base = { deskId: 'D', name: id, key: '', state: 'live' as const, version: 1 };
  const part = { ...base, id, kind: 'offer' as const, body };
  const network = {
    ...base,
    id: 'N',
    kind: 'network' as const,
    body: networkInput.parse({ name: 'N', fields: {} }),
  };
  return {
    part,
    network,
    link: compileLink(body.link, 'link'),
    fallback: body.fallbackUrl === '' ? null : compileLink(body.fallbackUrl, 'fallback'),
    zone: 'Europe/Brussels',
    ...offerDays(body, 'Europe/Brussels'),
  };
}
const never = (): boolean => false;
const snapshotOf = (...offers: CompiledOffer[]): Snapshot => ({
  ...emptySnapshot,
  offers: new Map(offers.map((o) => [o.part.id, o])),
});

describe('an offer takes visitors', () => {
  it.each([
    [{}, true],
    [{ sending: 'draft' }, false],
    [{ sending: 'paused' }, false],
    [{ sending: 'ended' }, false],
    [{ startsOn: '2026-11-25' }, true],
    [{ startsOn: '2026-11-26' }, false],
    [{ endsOn: '2026-11-25' }, true],
    [{ endsOn: '2026-11-24' }, false],
    [{ startsOn: '2026-11-26', zone: 'Pacific/Kiritimati' }, true],
  ])('%j: %s', (more, wanted) => expect(takesVisitors(offer('A', more), NOON, never)).toBe(wanted));

  it('until a cap is reached', () => {
    expect(takesVisitors(offer('A'), NOON, (id) => id === 'A')).toBe(false);
    expect(takesVisitors(offer('A'), NOON, (id) => id === 'B')).toBe(true);
  });
});

describe('days', () => {
  it.each([
    ['2026-11-25', 'Europe/Brussels', '2026-11-24T23:00:00.000Z'],
    ['2026-07-01', 'Europe/Brussels', '2026-06-30T22:00:00.000Z'],
    ['2026-11-25', 'Asia/Kathmandu', '2026-11-24T18:15:00.000Z'],
    ['2026-11-25', 'Pacific/Kiritimati', '2026-11-24T10:00:00.000Z'],
    ['2026-11-25', 'Pacific/Pago_Pago', '2026-11-25T11:00:00.000Z'],
    // Clocks jump from midnight to one there on that day.
    ['2026-03-29', 'Asia/Beirut', '2026-03-28T22:00:00.000Z'],
  ])('%s in %s begins at %s', (day, zone, wanted) =>
    expect(new Date(startOfDay(day, zone)).toISOString()).toBe(wanted),
  );
});

const campaign = (first: CompiledOffer, more: Partial<CompiledCampaign> = {}): CompiledCampaign => ({
  id: 'C',
  key: 'k',
  deskId: 'D',
  version: 1,
  name: 'C',
  sending: true,
  sendBy: 'redirect',
  source: {} as CompiledCampaign['source'],
  branches: [
    {
      id: 'otherwise',
      name: 'otherwise',
      holds: null,
      pairings: [
        {
          id: 'only',
          landing: null,
          offers: [first],
          weight: 1,
          isOn: true,
          fromMs: -Infinity,
          toMs: Infinity,
        },
      ],
      weights: [1],
      isAutomatic: false,
      hasTimes: false,
    },
  ],
  fallback: null,
  account: '',
  adFormat: '',
  costFactor: 1_000_000n,
  costModel: 'none',
  costMicros: null,
  costCurrency: 'EUR',
  ...more,
});
const arrival = {
  visitor: { visit: unknownVisit, address: '192.0.2.7', nowMs: NOON },
  before: '',
  random: () => 0,
};
const address = (url: string): CompiledLink => compileLink(url, 'fallback');

describe('where a visit goes', () => {
  const [a, b, c] = [
    offer('A', { sending: 'ended', fallbackOfferId: 'B', fallbackUrl: 'https://plain.example/' }),
    offer('B', { sending: 'paused', fallbackOfferId: 'C' }),
    offer('C'),
  ];
  const to = (of: CompiledCampaign, snapshot: Snapshot) => {
    const { fate, offer: found, address: at, branchId, pairing } = route(of, snapshot, arrival, never);
    expect([branchId, pairing.id]).toEqual(['otherwise', 'only']);
    return [fate, found?.part.id ?? at?.template.text ?? null];
  };
  const own = { fallback: address('https://campaign.example/') };
  const desk = {
    ...snapshotOf(),
    deskFallbacks: new Map([['D', address('https://desk.example/')]]),
  };
  it('is its offer, else the first of its fallbacks that can', () => {
    expect(to(campaign(c!), snapshotOf())).toEqual(['sent', 'C']);
    expect(to(campaign(a!, own), snapshotOf(a!, b!, c!))).toEqual(['offer_fallback', 'C']);
  });
  it('else the offer’s address, the campaign’s, the desk’s, else nowhere', () => {
    expect(to(campaign(a!, own), snapshotOf(a!, b!))).toEqual(['offer_fallback', 'https://plain.example/']);
    expect(to(campaign(b!, own), desk)).toEqual(['campaign_fallback', 'https://campaign.example/']);
    expect(to(campaign(b!), desk)).toEqual(['desk_fallback', 'https://desk.example/']);
    expect(to(campaign(b!), snapshotOf())).toEqual(['no_offer', null]);
  });
  it('of a paused campaign is its own fallback, else its offer’s, and never the offer itself', () => {
    const paused = { sending: false };
    expect(to(campaign(c!, { ...paused, ...own }), desk)).toEqual(['paused', 'https://campaign.example/']);
    expect(to(campaign(a!, paused), snapshotOf(a!, b!, c!))).toEqual(['paused', 'C']);
    expect(to(campaign(a!, paused), desk)).toEqual(['paused', 'https://plain.example/']);
    expect(to(campaign(c!, paused), desk)).toEqual(['paused', null]);
  });
  it('ends on fallbacks that go round in circles', () => {
    const [x, y] = [
      offer('X', { sending: 'ended', fallbackOfferId: 'Y' }),
      offer('Y', { sending: 'ended', fallbackOfferId: 'X' }),
    ];
    expect(to(campaign(x), snapshotOf(x, y))).toEqual(['no_offer', null]);
  });
});
