import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { amountSentence, formatAmount, parseAmount, parseCost, type DecimalMark } from './amount.ts';

const read = (text: string, mark: DecimalMark = '', negative = false): string => {
  const r = parseAmount(text, mark, negative);
  return r.ok ? r.micros.toString() : r.problem;
};

describe('an amount without a declared mark', () => {
  it.each([
    ['12.5', '12500000'],
    ['1.234', '1234000'],
    ['12,5', '12500000'],
    ['0,012', '12000'],
    ['1,234.50', '1234500000'],
    ['1.234,50', '1234500000'],
    ['1,234,567', '1234567000000'],
    ['1.234.567', '1234567000000'],
    ['0', '0'],
    [' 7 ', '7000000'],
    ['.5', '500000'],
    ['0.000001', '1'],
    ['1234,567', '1234567000'],
  ])('%s is read', (text, micros) => expect(read(text)).toBe(micros));

  it.each([
    ['1,234', 'ambiguous'],
    ['999,000', 'ambiguous'],
    ['', 'empty'],
    ['0.0000001', 'too_precise'],
    ['+5', 'not_a_number'],
    ['-5', 'not_a_number'],
    ['1e3', 'not_a_number'],
    ['€5', 'not_a_number'],
    ['5 EUR', 'not_a_number'],
    ['٣', 'not_a_number'],
    ['1,23,456', 'not_a_number'],
    ['1.2.3', 'not_a_number'],
    ['.', 'not_a_number'],
    ['5.', 'not_a_number'],
    ['1234567890123', 'too_large'],
  ])('%s is refused as %s, with a sentence', (text, problem) => {
    expect(read(text)).toBe(problem);
    expect(amountSentence(problem as never, text)).toMatch(/\.$/);
  });
});

it('a cost may have nine decimals, and says when it has more than six', () => {
  expect(parseCost('0.001234567')).toEqual({ ok: true, nanos: 1_234_567n, isFine: true });
  expect(parseCost('0.001234')).toEqual({ ok: true, nanos: 1_234_000n, isFine: false });
  expect(parseCost('1,5', ',')).toEqual({ ok: true, nanos: 1_500_000_000n, isFine: false });
  expect(parseCost('0.0012345678')).toEqual({ ok: false, problem: 'too_precise' });
  expect(parseCost('1,234')).toEqual({ ok: false, problem: 'ambiguous' });
  expect(parseCost('-1')).toEqual({ ok: false, problem: 'not_a_number' });
});

describe('an amount with a declared mark', () => {
  it('reads 1,234 by the mark', () => {
    expect(read('1,234', ',')).toBe('1234000');
    expect(read('1,234', '.')).toBe('1234000000');
    expect(read('1.234', ',')).toBe('1234000000');
  });
  it('takes a minus only where asked', () => {
    expect(read('-2.50', '', true)).toBe('-2500000');
    expect(read('--2', '', true)).toBe('not_a_number');
  });
});

it('reads back whatever it writes', () => {
  fc.assert(
    fc.property(fc.bigInt({ min: -(10n ** 17n), max: 10n ** 17n }), (micros) => {
      expect(read(formatAmount(micros), '.', true)).toBe(micros.toString());
    }),
  );
});
