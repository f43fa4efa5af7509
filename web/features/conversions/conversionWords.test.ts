import { expect, it } from '@jest/globals';
import { between } from './conversionWords.ts';

it('tells the time from visit to conversion in two units at most', () => {
  const after = (minutes: number): string =>
    between('2026-11-24T10:00:00.000Z', new Date(Date.UTC(2026, 10, 24, 10, minutes)).toISOString());
  expect([0, 1, 59, 60, 61, 1440, 1500, 1439].map(after)).toEqual([
    'less than a minute',
    '1 min',
    '59 min',
    '1 h',
    '1 h 1 min',
    '1 d',
    '1 d 1 h',
    '23 h 59 min',
  ]);
  expect(after(-5)).toBe('before');
});
