import { expect, it } from '@jest/globals';
import { paceOf, type HourSums } from './pace.ts';

const hour = (n: number, visits: number): HourSums => ({
  hour: String(n).padStart(2, '0'),
  visits,
  spentMicros: BigInt(visits) * 100_000n,
  expectedMicros: 0n,
});
const flat = (visits: number, hours = 24): HourSums[] =>
  Array.from({ length: hours }, (_, n) => hour(n, visits));

it('compares the full hours of today with those of a usual day, and goes on from there', () => {
  // Two days of 20 visits an hour together; today has 15 an hour and a half hour more.
  const pace = paceOf([...flat(15, 6), hour(6, 3)], flat(20), { hours: 6, days: 2 });
  expect(pace).toMatchObject({
    hours: 6,
    visits: { soFar: 90, usual: 60, ahead: 360 },
    spent: { soFar: 9, usual: 6, ahead: 36 },
    expected: { soFar: 0, usual: 0, ahead: null },
  });
});
it('says nothing early in the day, or of a desk without earlier days', () => {
  expect(paceOf(flat(15, 2), flat(20), { hours: 2, days: 7 })).toBeNull();
  expect(paceOf(flat(15, 6), [], { hours: 6, days: 7 })).toBeNull();
  expect(paceOf(flat(15, 6), flat(20), { hours: 6, days: 0 })).toBeNull();
});
