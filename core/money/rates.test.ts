import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { convert, rateNanos, rateOn, rateText } from './rates.ts';

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
