import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { statuses, type ConversionStatus } from '../contract/index.ts';
import { compareLine, type StatementSide } from './compare.ts';

const side = (status: ConversionStatus, micros: bigint | null = 5n, currency = 'EUR'): StatementSide => ({
  status,
  micros,
  currency,
});

describe('a line of a statement', () => {
  it.each([
    [side('approved'), side('approved'), 'matched'],
    [side('approved', null), side('approved'), 'matched'],
    [side('approved', 6n), side('approved'), 'amount_differs'],
    [side('approved', 5n, ''), side('approved'), 'matched'],
    [side('approved', 5n, 'USD'), side('approved'), 'currency_differs'],
    [side('approved'), side('pending'), 'status_differs'],
    [side('pending'), side('approved'), 'status_differs'],
    [side('rejected', 9n), side('reversed'), 'matched'],
    [side('rejected'), side('approved'), 'status_differs'],
    [side('approved'), side('rejected'), 'status_differs'],
    [side('approved'), null, 'missing_here'],
    [side('rejected'), null, 'matched'],
  ] as const)('%j beside %j: %s', (theirs, ours, kind) => {
    expect(compareLine(theirs, ours)).toBe(kind);
  });

  it('that says what is booked always agrees', () => {
    const any = fc.record({
      status: fc.constantFrom(...statuses),
      micros: fc.bigInt({ min: -(10n ** 12n), max: 10n ** 12n }),
      currency: fc.constantFrom('EUR', 'USD'),
    });
    fc.assert(fc.property(any, (both) => compareLine(both, both) === 'matched'));
    fc.assert(
      fc.property(
        any,
        any,
        (a, b) => (compareLine(a, b) === 'matched') === (compareLine(b, a) === 'matched'),
      ),
    );
  });
});
