import { expect, it } from '@jest/globals';
import fc from 'fast-check';
import { wilson } from './wilson.ts';

it('is Wilson’s interval, as his formula gives it', () => {
  // 2 in 1 644: worked out apart, with z = 1.959964.
  expect(wilson(2, 1644)).toEqual({ low: expect.closeTo(0.000334, 6), high: expect.closeTo(0.004425, 6) });
  expect(wilson(0, 10)).toEqual({ low: 0, high: expect.closeTo(0.27753, 5) });
  expect(wilson(10, 10)).toEqual({ low: expect.closeTo(0.72247, 5), high: 1 });
  expect([wilson(0, 0), wilson(3, 2), wilson(-1, 5)]).toEqual([null, null, null]);
});

it('holds the rate, lies within 0 and 1, and is narrower the more there is', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 100_000 }),
      fc.double({ min: 0, max: 1, noNaN: true }),
      (of, share) => {
        const hits = Math.round(of * share);
        const { low, high } = wilson(hits, of)!;
        const ten = wilson(hits * 10, of * 10)!;
        expect(0 <= low && low <= hits / of && hits / of <= high && high <= 1).toBe(true);
        expect(ten.high - ten.low).toBeLessThan(high - low);
      },
    ),
  );
});
