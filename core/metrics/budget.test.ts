import { expect, it } from '@jest/globals';
import fc from 'fast-check';
import { budget, type BudgetAsked } from './budget.ts';

const asked = (more: Partial<BudgetAsked> = {}): BudgetAsked => ({
  payoutMicros: 18_000_000n,
  factor: 3,
  bidMicros: 40_000n,
  cr: 0,
  billedPerArrived: 1,
  fee: 0,
  ...more,
});

it('is the payout times the factor a day, and buys visits at the bid', () => {
  expect(budget(asked())).toMatchObject({
    perDayMicros: 54_000_000n,
    visitsPerDay: 1350,
    breakEvenBidMicros: null,
  });
  expect(budget(asked({ factor: 0.5 })).perDayMicros).toBe(9_000_000n);
});

it('knows a chain that never converts after three payouts were spent, however much a visit costs', () => {
  for (const bidMicros of [10_000n, 40_000n, 900_000n])
    expect(budget(asked({ bidMicros })).daysToCut).toBeCloseTo(1, 2);
  expect(budget(asked({ factor: 1 })).daysToCut).toBeCloseTo(3, 1);
});

it('tells a good guess from breaking even the sooner the better it is', () => {
  const days = (cr: number) => budget(asked({ cr })).daysToKeep!;
  expect(days(0.01)).toBeLessThan(days(0.004));
  expect(days(0.0025)).toBeGreaterThan(20);
  expect(budget(asked()).daysToKeep).toBeNull();
});

it('bids what a visit earns at the guess, less what is billed beyond what arrives, and the fee', () => {
  expect(budget(asked({ cr: 0.002 })).breakEvenBidMicros).toBe(36_000n);
  expect(budget(asked({ cr: 0.002, billedPerArrived: 1.2, fee: 0.5 })).breakEvenBidMicros).toBe(20_000n);
});

it('says nothing of what is not known, and never a number that is none', () => {
  expect(budget(asked({ bidMicros: 0n }))).toMatchObject({
    visitsPerDay: null,
    breakEvenCr: null,
    daysToCut: null,
  });
  fc.assert(
    fc.property(
      fc.bigInt({ min: 0n, max: 10n ** 12n }),
      fc.bigInt({ min: 0n, max: 10n ** 10n }),
      fc.double({ min: 0, max: 1, noNaN: true }),
      (payoutMicros, bidMicros, cr) => {
        for (const value of Object.values(budget(asked({ payoutMicros, bidMicros, cr }))))
          expect(value === null || typeof value === 'bigint' || Number.isFinite(value)).toBe(true);
      },
    ),
  );
});
