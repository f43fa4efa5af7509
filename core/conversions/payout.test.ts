import { expect, it } from '@jest/globals';
import { offerInput } from '../contract/index.ts';
import { payoutTerms } from './payout.ts';

const offer = offerInput.parse({
  name: 'Terrarium box',
  networkId: 'N',
  link: 'https://o.example/',
  payoutMode: 'fixed',
  payoutMicros: '10000000',
  payouts: [
    { amountMicros: '11000000', validFrom: '2026-03-01' },
    { amountMicros: '12000000', validFrom: '2026-06-01' },
    { country: 'NL', amountMicros: '14000000' },
    { eventTypeId: 'UP', amountMicros: '3000000' },
    { eventTypeId: 'UP', country: 'NL', amountMicros: '4000000', validFrom: '2026-06-01' },
  ],
});
const fixed = (event: string, country: string, day: string): number =>
  Number(payoutTerms(offer, event, country, day).fixed) / 1e6;

it.each([
  ['SALE', 'BE', '2026-02-28', 10],
  ['SALE', 'BE', '2026-03-01', 11],
  ['SALE', 'BE', '2026-07-01', 12],
  ['SALE', 'NL', '2026-07-01', 14],
  ['UP', 'BE', '2026-07-01', 3],
  ['UP', 'NL', '2026-05-31', 3],
  ['UP', 'NL', '2026-06-01', 4],
])('%s in %s on %s pays %d', (event, country, day, amount) =>
  expect(fixed(event, country, day)).toBe(amount),
);

it('is what counts when nothing is reported, where the payout is reported', () => {
  expect(payoutTerms({ ...offer, payoutMode: 'reported' }, 'SALE', 'NL', '2026-07-01')).toEqual({
    fixed: null,
    otherwise: 14_000_000n,
  });
  expect(
    payoutTerms({ payoutMode: 'reported', payoutMicros: '', payouts: [] }, 'SALE', 'NL', '2026-07-01'),
  ).toEqual({
    fixed: null,
    otherwise: null,
  });
});
