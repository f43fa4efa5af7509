import { expect, it } from '@jest/globals';
import { routing, type RecentMix } from '@tracheon/core/contract';
import { runMany, type ManyTask } from './manyTask.ts';

const OFFER = '00000000000000000000000001';
const mix: RecentMix = {
  at: [
    Date.parse('2026-11-23T09:30:00Z'),
    Date.parse('2026-11-24T20:30:00Z'),
    Date.parse('2026-11-24T21:30:00Z'),
  ],
  columns: [
    { field: 'country', values: ['NL', 'PT'], rows: [0, 0, 1] },
    { field: 'sub_site', values: ['a', 'b'], rows: [0, 1, 1] },
  ],
  costs: { currency: 'EUR', values: ['0.015', ''], rows: [0, 0, 1] },
};
const branch = (id: string, when: object) => ({
  id,
  name: id,
  when,
  pairings: [{ id: `${id}p`, offerIds: [OFFER] }],
});
const task = (more: Partial<ManyTask> = {}): ManyTask => ({
  routed: {
    offerId: '',
    landingPageId: '',
    routing: routing.parse({
      branches: [
        branch('morning', { on: 'hour', op: 'is', values: ['10'] }),
        branch('site', { on: 'sub_site', op: 'is', values: ['b'] }),
      ],
      otherwise: { pairings: [{ id: 'rest', offerIds: [OFFER] }] },
    }),
  },
  sourceId: 'S',
  zone: 'Europe/Brussels',
  nowMs: Date.parse('2026-11-26T12:00:00Z'),
  seed: 7,
  count: 3000,
  mix,
  offers: { [OFFER]: { isOpen: true, countries: ['NL'] } },
  odds: {},
  ...more,
});

it('sends visitors of last week by what they told then, with progress, and the same draws give the same result', () => {
  const news = [...runMany(task())];
  expect(news.map((n) => n.done)).toEqual([500, 1000, 1500, 2000, 2500, 3000]);
  expect(news.slice(0, -1).every((n) => n.result === null)).toBe(true);
  const { all, ways, unwanted } = news.at(-1)!.result!;
  expect(all.visits).toBe(3000);
  const morning = ways.get(`morning|morningp|${OFFER}`)!.visits;
  const site = ways.get(`site|sitep|${OFFER}`)!.visits;
  expect(morning + site).toBe(3000);
  expect(morning).toBeGreaterThan(900);
  expect(morning).toBeLessThan(1100);
  // Those from Portugal, of whose cost nothing is known.
  expect(unwanted.visits).toBeGreaterThan(900);
  expect(unwanted.spentMicros).toBe(0n);
  expect(all.spentMicros).toBe(BigInt(3000 - unwanted.visits) * 15_000n);
  expect([...runMany(task())].at(-1)!.result!.ways).toEqual(ways);
});
