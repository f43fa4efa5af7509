import { expect, it } from '@jest/globals';
import type { VerdictAnswer } from '../contract/index.ts';
import { verdictReason, verdictWords } from './verdictWords.ts';

const verdict: VerdictAnswer = {
  kind: 'cut',
  visits: 1644,
  spentMicros: '69900000',
  expectedMicros: '12000000',
  conversions: 2,
  payoutMicros: '12000000',
  spentPayouts: 5.825,
  usualConversions: 7.1,
  chance: 0.004,
  moreVisits: null,
  breakEvenMicros: '7000',
  bidMicros: null,
  bidUnit: { currency: 'EUR', visits: 1 },
};
const said = (more: Partial<VerdictAnswer>): string[] => [
  verdictWords({ ...verdict, ...more }, (m) => (Number(m) / 1e6).toFixed(3)),
  verdictReason({ ...verdict, ...more }),
];

it('says the verdict and why, in one short line each', () => {
  expect(said({})).toEqual(['cut', 'spent 5.8 payouts, 2 conversions where about 7 are usual']);
  expect(said({ conversions: 0 })[1]).toBe('spent 5.8 payouts, no conversion');
  expect(said({ kind: 'bid_down', bidMicros: '22000', expectedMicros: '55221000' })).toEqual([
    'bid down to 0.022',
    'earns 79 % of what it costs',
  ]);
  expect(said({ kind: 'bid_up', bidMicros: '61000', chance: 0.996 })).toEqual([
    'bid up to 0.061',
    'over 99 % sure that it earns',
  ]);
  expect(said({ kind: 'too_early', moreVisits: 12_345, conversions: 1 })).toEqual([
    'too early, about 12 000 more visits',
    'spent 5.8 payouts, 1 conversion',
  ]);
  expect(said({ kind: 'keep', expectedMicros: '69900000' })).toEqual([
    'keep',
    'earns 100 % of what it costs',
  ]);
  expect(said({ kind: 'no_payout' })[0]).toBe('no verdict');
});
