import { expect, it } from '@jest/globals';
import { paymentMoves, type BillingStatement } from '@tracheon/core/contract';
import { paymentSteps, sumsOf } from './billingWords.ts';

it('a statement’s lines add up to what is paid', () => {
  const statement = {
    side: 'partner',
    totalMicros: '12340000',
    adjustmentMicros: '-6000000',
    adjustments: 1,
    carriedInMicros: '5000',
    carriedOutMicros: '5000',
    paidMicros: '12340000',
  } as BillingStatement;
  const sums = sumsOf(statement);
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

it('every step of a payment has a button', () => {
  for (const [state, moves] of Object.entries(paymentMoves))
    expect(paymentSteps[state as keyof typeof paymentSteps].map((s) => s.to)).toEqual(moves);
});
