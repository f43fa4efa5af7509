import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { convert, rateNanos, rateOn, ratesTo, rateText } from './rates.ts';

const rates = [
  { base: 'USD', day: '2026-11-01', nanos: rateNanos('0.9') },
  { base: 'USD', day: '2026-11-10', nanos: rateNanos('0.92') },
];

describe('rates', () => {
  it('takes the latest on or before the day', () => {
    expect(rateOn(rates, 'USD', 'EUR', '2026-11-09')).toBe(rateNanos('0.9'));
    expect(rateOn(rates, 'USD', 'EUR', '2026-11-10')).toBe(rateNanos('0.92'));
    expect(rateOn(rates, 'USD', 'EUR', '2026-10-31')).toBeNull();
    expect(rateOn(rates, 'EUR', 'EUR', '1999-01-01')).toBe(rateNanos('1'));
  });
  it('converts symmetrically, so that a reversal nets to zero', () => {
    fc.assert(
      fc.property(
        fc.bigInt({ min: 0n, max: 10n ** 16n }),
        fc.bigInt({ min: 1n, max: 10n ** 12n }),
        (m, n) => {
          expect(convert(-m, n)).toBe(-convert(m, n));
        },
      ),
    );
  });
  it('rounds half away from zero', () => {
    expect(convert(1n, rateNanos('0.5'))).toBe(1n);
    expect(convert(1n, rateNanos('0.499999999'))).toBe(0n);
  });
  it('writes a rate as it was read', () => {
    expect(rateText(rateNanos('0.9214'))).toBe('0.9214');
    expect(rateText(rateNanos('12'))).toBe('12');
  });
});

describe('rates to another currency', () => {
  it('change whenever one of the two does, and begin when both are known', () => {
    const all = [...rates, { base: 'JPY', day: '2026-11-05', nanos: rateNanos('0.006') }];
    expect(ratesTo('JPY', 'EUR', all).filter((r) => r.base === 'USD')).toEqual([
      { base: 'USD', day: '2026-11-05', nanos: rateNanos('150') },
      { base: 'USD', day: '2026-11-10', nanos: 153_333_333_333n },
    ]);
    expect(ratesTo('JPY', 'EUR', all).filter((r) => r.base === 'EUR')).toEqual([
      { base: 'EUR', day: '2026-11-05', nanos: 166_666_666_667n },
    ]);
    expect(ratesTo('EUR', 'EUR', all)).toEqual(all);
    expect(ratesTo('CHF', 'EUR', all)).toEqual([]);
  });
  it('are those of the days themselves, whatever the days', () => {
    const day = fc.integer({ min: 10, max: 28 }).map((n) => `2026-11-${n}`);
    const rate = fc.record({
      base: fc.constantFrom('USD', 'JPY', 'DKK'),
      day,
      nanos: fc.bigInt({ min: 1_000_000n, max: 10n ** 12n }),
    });
    fc.assert(
      fc.property(
        fc.uniqueArray(rate, { selector: (r) => `${r.base}${r.day}`, maxLength: 12 }),
        day,
        (of, at) => {
          const [usd, jpy] = [rateOn(of, 'USD', 'EUR', at), rateOn(of, 'JPY', 'EUR', at)];
          const crossed = rateOn(ratesTo('JPY', 'EUR', of), 'USD', 'JPY', at);
          const wanted = usd === null || jpy === null ? null : (usd * 1_000_000_000n + jpy / 2n) / jpy;
          expect(crossed).toBe(wanted);
        },
      ),
    );
  });
});
