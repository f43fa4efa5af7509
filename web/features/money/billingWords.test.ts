import { expect, it } from '@jest/globals';
import { paymentMoves } from '@tracheon/core/contract';
import { paymentSteps } from './billingWords.ts';

it('every step of a payment has a button', () => {
  for (const [state, moves] of Object.entries(paymentMoves))
    expect(paymentSteps[state as keyof typeof paymentSteps].map((s) => s.to)).toEqual(moves);
});
