import { expect, it } from '@jest/globals';
import { costShares } from './costShares.ts';

const nothing = {
  spentMicros: '0',
  fileCostMicros: '0',
  feedCostMicros: '0',
  linkCostMicros: '0',
  estimatedCostMicros: '0',
  partnerMicros: '0',
};
/** Thin spaces of numbers as plain ones. */
const plain = (text: string): string => text.replaceAll(/\s/gu, ' ');

it('says where all of the cost comes from, partner payouts among it', () => {
  const total = { ...nothing, spentMicros: '8000000', linkCostMicros: '6000000', partnerMicros: '2000000' };
  expect(plain(costShares(total))).toBe('75 % from links · 25 % partner payouts');
  const all = {
    spentMicros: '10000000',
    fileCostMicros: '1000000',
    feedCostMicros: '2000000',
    linkCostMicros: '3000000',
    estimatedCostMicros: '1500000',
    partnerMicros: '2500000',
  };
  const shares = [...plain(costShares(all)).matchAll(/(\d+) %/g)].map((m) => Number(m[1]));
  expect(shares).toHaveLength(5);
  expect(shares.reduce((sum, share) => sum + share, 0)).toBe(100);
});

it('says nothing where nothing was spent', () => {
  expect(costShares(nothing)).toBe('');
});
