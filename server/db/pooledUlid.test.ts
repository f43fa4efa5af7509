import { expect, it } from '@jest/globals';
import { clickIdTime } from '@tracheon/core/identity';
import { pooledUlid } from './pooledUlid.ts';

const NOW = Date.parse('2026-11-25T12:00:00Z');
const YEAR = 365 * 86_400_000;

it('goes on from the last ID over a small step back of the clock', () => {
  const next = pooledUlid();
  const ids = [NOW, NOW, NOW - 900, NOW + 1].map(next);
  expect([...ids].sort()).toEqual(ids);
  expect(new Set(ids).size).toBe(4);
});

it('follows a clock that is set back or ahead, so that an ID has the time of its visit', () => {
  const next = pooledUlid();
  for (const at of [NOW, NOW + YEAR, NOW, NOW - YEAR, NOW]) expect(clickIdTime(next(at))).toBe(at);
});
