import { expect, it } from '@jest/globals';
import { sumsOf } from './statementSums.ts';

it('a statement’s lines add up to what is paid', () => {
  const statement = {
    totalMicros: '12340000',
    adjustmentMicros: '-6000000',
    adjustments: 1,
    carriedInMicros: '5000',
    carriedOutMicros: '5000',
    paidMicros: '12340000',
  };
  const sums = sumsOf(statement, 'To pay');
  expect(sums.map(([label]) => label)).toEqual([
    'New conversions',
    'Adjustments of earlier statements',
    'Carried over from the last statement',
    'Carried over to the next statement',
    'To pay',
  ]);
  const parts = sums.slice(0, -1).reduce((sum, [, micros]) => sum + BigInt(micros), 0n);
  expect(parts.toString()).toBe(statement.paidMicros);
});
