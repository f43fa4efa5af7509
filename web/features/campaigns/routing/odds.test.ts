import { expect, it } from '@jest/globals';
import type { SplitOddsRow, Way } from '@tracheon/core/contract';
import { oddsWords, sharesByOdds, splitWords } from './odds.ts';

const arm = (pairingId: string, odds: number, chanceOfBest: number | null) => ({
  pairingId,
  visits: 1000,
  conversions: 20,
  expectedMicros: 310_000_000,
  odds,
  chanceOfBest,
});
const row = (...arms: ReturnType<typeof arm>[]): SplitOddsRow => ({
  wayId: 'otherwise',
  computedAt: '2026-01-01T00:00:00.000Z',
  state: arms[0]?.chanceOfBest === null ? 'warm_up' : 'learned',
  draws: 10_000,
  arms,
});
const plain = (text: string): string => text.replaceAll(/\s/g, ' ');

it('says how likely a pairing earns the most, and from what; never that it is certain', () => {
  const learned = row(arm('a', 0.7, 0.72), arm('b', 0.98, 1), arm('c', 0.02, 0));
  expect(plain(oddsWords(learned, 'a', 'EUR'))).toBe(
    '72 % likely to earn the most: expected 0.310 EUR per visit, from 1 000 visits, 20 conversions',
  );
  expect(plain(oddsWords(learned, 'b', 'EUR'))).toMatch(/^Over 99 % likely/);
  expect(plain(oddsWords(learned, 'c', 'EUR'))).toMatch(/^Under 1 % likely/);
  expect(oddsWords(learned, 'new', 'EUR')).toBe('Not measured yet.');
});
it('only counts during warm-up, and says what the split waits for', () => {
  const cold = row(arm('a', 0.5, null), arm('b', 0.5, null));
  expect(plain(oddsWords(cold, 'a', 'EUR'))).toBe('1 000 visits, 20 conversions');
  expect(splitWords(cold)).toContain('evenly until each pairing has 100 visits');
  expect(splitWords(undefined)).toBe(splitWords(cold));
});
it('shares of an automatic split are its odds; without any it is even', () => {
  const pairings = ['a', 'b'].map((id) => ({ id, weight: 9, isOn: true }) as Way['pairings'][number]);
  const way: Way = { split: 'automatic', pairings };
  expect(sharesByOdds(way, row(arm('a', 0.9, 0.9), arm('b', 0.1, 0.1)))).toEqual([90, 10]);
  expect(sharesByOdds(way, undefined)).toEqual([50, 50]);
});
