import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { currencyDigits, payableEntries, settle, type OpenEntry } from './settle.ts';

describe('what is paid', () => {
  it('is rounded down to the currency’s digits, and the rest is carried', () => {
    expect(settle(10_999_999n, 0n, 'EUR')).toEqual({ paid: 10_990_000n, carried: 9_999n });
    expect(settle(10_999_999n, 0n, 'JPY')).toEqual({ paid: 10_000_000n, carried: 999_999n });
    expect(settle(1_234_567n, 0n, 'BHD')).toEqual({ paid: 1_234_000n, carried: 567n });
    expect(settle(1n, 9_999n, 'EUR')).toEqual({ paid: 10_000n, carried: 0n });
    expect(['EUR', 'JPY', 'BHD'].map(currencyDigits)).toEqual([2, 0, 3]);
  });
  it('is nothing while more was taken back than earned; the debt is carried', () => {
    expect(settle(-6_000_000n, 0n, 'EUR')).toEqual({ paid: 0n, carried: -6_000_000n });
    expect(settle(5_000_000n, -6_000_000n, 'EUR')).toEqual({ paid: 0n, carried: -1_000_000n });
  });
  it('adds up over any statements: payments and the last rest are the sum of all', () => {
    const totals = fc.array(fc.bigInt({ min: -(10n ** 12n), max: 10n ** 12n }), {
      minLength: 1,
      maxLength: 12,
    });
    fc.assert(
      fc.property(totals, fc.constantFrom('EUR', 'JPY', 'BHD'), (all, currency) => {
        let carried = 0n;
        let paid = 0n;
        for (const total of all) {
          const settled = settle(total, carried, currency);
          expect(settled.paid).toBeGreaterThanOrEqual(0n);
          paid += settled.paid;
          ({ carried } = settled);
        }
        expect(paid + carried).toBe(all.reduce((sum, t) => sum + t, 0n));
      }),
    );
  });
});

describe('what a statement takes', () => {
  const DAY = 86_400_000;
  let n = 0;
  const entry = (conversionId: string, delta: bigint, day: number): OpenEntry => ({
    id: String(n++),
    conversionId,
    delta,
    bookedAt: day * DAY,
  });
  const taken = (all: OpenEntry[], until: number, hold: number): string[] =>
    payableEntries(all, until * DAY, hold * DAY).map((e) => `${e.conversionId}${e.delta}`);
  it('is booked before its end', () => {
    expect(taken([entry('a', 6n, 1), entry('b', 6n, 3)], 3, 0)).toEqual(['a6']);
  });
  it('has been approved for the hold period', () => {
    expect(taken([entry('a', 6n, 1), entry('b', 6n, 5)], 10, 7)).toEqual(['a6']);
    expect(taken([entry('b', 6n, 5)], 12, 7)).toEqual(['b6']);
  });
  it('is never paid and then taken back when both came within the hold period', () => {
    expect(taken([entry('a', 6n, 1), entry('a', -6n, 9)], 10, 7)).toEqual(['a6', 'a-6']);
    expect(taken([entry('a', 6n, 1), entry('a', -2n, 9)], 10, 7)).toEqual(['a6', 'a-2']);
  });
  it('takes what a paid conversion lost at once', () => {
    expect(taken([entry('a', -6n, 9)], 10, 30)).toEqual(['a-6']);
  });
});
