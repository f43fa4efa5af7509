import { expect, it } from '@jest/globals';
import { comparePairings } from '@tracheon/core/routing';
import { pairingVerdict } from './pairingWords.ts';

const arm = (pairingId: string, visits: number, conversions: number) => ({
  pairingId,
  visits,
  conversions,
  expectedMicros: conversions * 10e6,
});
const said = (a: [number, number], b: [number, number]): string =>
  pairingVerdict(comparePairings([arm('a', ...a), arm('b', ...b)], 1), 'Star quiz');

it('says which pairing is best once it is clear, and what is missing until then', () => {
  expect(said([2000, 90], [2000, 40])).toMatch(/^Star quiz earns most: over 99 % sure\.$/);
  expect(said([200, 8], [200, 4])).toMatch(
    /^Too early to choose\. Star quiz leads with a chance of \d\d\s?% to be the best\. The two best need about (\d\.?)+[\d\s]* more visits each\.$/,
  );
  expect(said([200, 5], [200, 5])).toContain('The two best earn the same so far.');
  expect(said([200, 0], [200, 0])).toBe('Nothing has converted yet, so there is nothing to compare.');
});
