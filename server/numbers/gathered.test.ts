import { expect, it } from '@jest/globals';
import { newVisits } from '@tracheon/core/metrics';
import { Gathered, together, type ConversionKind } from './gathered.ts';
import type { NumbersGround } from './ground.ts';
import type { Segment } from './rateSegments.ts';

const ground = {
  currency: 'EUR',
  deskCurrency: 'EUR',
  eventTypes: new Map([['sale', { asConversion: true, asRevenue: true }]]),
} as unknown as NumbersGround;
/** 0.4 for one. */
const segments: Segment[] = [{ currency: 'USD', from: 0, to: 1, nanos: 400_000_000n }];
const kind: ConversionKind = { o: 'kites', w: 'harbour', e: 'sale', s: 'approved', c: 'USD' };

function row(young: boolean): Gathered {
  const one = new Gathered();
  one.visits.push({ segment: 0, young, raw: { ...newVisits(), visits: 2, spent: 1n } });
  one.conversions.push({
    segment: 0,
    young,
    kind,
    n: 1,
    amount: 1n,
    estimated: 0n,
    waiting: 0n,
    partner: 0n,
  });
  return one;
}

it('rows are added before their amounts are converted, so that nothing is rounded twice', () => {
  const rows = [row(false), row(false), row(true)];
  for (const one of rows) expect(one.made(segments, ground).sums.visits.spent).toBe(0n);
  const { sums, mature } = together(rows).made(segments, ground);
  // 3 × 0.4 is 1.2; of the two that are old enough, 0.8. Old and young ones are converted apart.
  expect([mature.visits.visits, mature.visits.spent]).toEqual([4, 1n]);
  expect([sums.visits.visits, sums.visits.spent]).toEqual([6, 1n]);
  expect(sums.conversions.reduce((n, c) => n + c.count, 0)).toBe(3);
  expect(mature.conversions).toMatchObject([{ count: 2, amount: 1n }]);
});

it('adding rows together leaves each of them as it was', () => {
  const rows = [row(false), row(false)];
  together(rows);
  expect(rows.map((one) => one.visits[0]!.raw.visits)).toEqual([2, 2]);
  expect(rows.map((one) => one.conversions[0]!.n)).toEqual([1, 1]);
});
