import { expect, it } from '@jest/globals';
import { approvalOf, decidedOf, duration, scrubOf } from './decisionWords.ts';

const sums = {
  conversions: 10,
  approved: 6,
  rejected: 1,
  reversed: 1,
  pending: 2,
  hoursToConvert: 1,
  hoursToDecide: 30,
};

it('divides by what is decided, and by nothing while nothing is', () => {
  expect([decidedOf(sums), approvalOf(sums), scrubOf(sums)]).toEqual([8, 0.75, 0.25]);
  const open = { ...sums, approved: 0, rejected: 0, reversed: 0 };
  expect([approvalOf(open), scrubOf(open)]).toEqual([null, null]);
});

it('writes hours as one reads them', () => {
  expect([null, 0.5, 1.99, 2, 47.4, 48, 100].map(duration)).toEqual([
    '–',
    '30 min',
    '119 min',
    '2 h',
    '47 h',
    '2.0 days',
    '4.2 days',
  ]);
});
