import { describe, expect, it } from '@jest/globals';
import { localDay } from './localDay.ts';
import { periodDays } from './reports.ts';

describe('a period', () => {
  const at = (iso: string): number => Date.parse(iso);
  it.each([
    ['today', 0, '2026-11-25T12:00:00Z', 'Europe/Brussels', '2026-11-25', '2026-11-25'],
    ['7d', 0, '2026-11-25T12:00:00Z', 'Europe/Brussels', '2026-11-19', '2026-11-25'],
    ['7d', 1, '2026-11-25T12:00:00Z', 'Europe/Brussels', '2026-11-12', '2026-11-18'],
    ['30d', 0, '2026-11-25T12:00:00Z', 'Europe/Brussels', '2026-10-27', '2026-11-25'],
    // Half past eleven in the evening there is another day here.
    ['today', 0, '2026-11-25T23:30:00Z', 'Europe/Brussels', '2026-11-26', '2026-11-26'],
    ['today', 0, '2026-11-25T03:00:00Z', 'America/Toronto', '2026-11-24', '2026-11-24'],
    ['today', 0, '2026-11-25T18:20:00Z', 'Asia/Kathmandu', '2026-11-26', '2026-11-26'],
    // Over the day of 25 hours and the one of 23.
    ['7d', 0, '2026-10-27T12:00:00Z', 'Europe/Brussels', '2026-10-21', '2026-10-27'],
    ['today', 1, '2026-03-30T00:30:00Z', 'Europe/Brussels', '2026-03-29', '2026-03-29'],
  ] as const)('%s, %d back, at %s in %s: %s to %s', (period, back, now, zone, from, to) =>
    expect(periodDays(period, back, at(now), zone)).toEqual({ from, to }),
  );
  it('is told in days of the zone', () => {
    expect(localDay(at('2026-10-25T22:59:59Z'), 'Europe/Brussels')).toBe('2026-10-25');
    expect(localDay(at('2026-10-25T23:00:00Z'), 'Europe/Brussels')).toBe('2026-10-26');
  });
});
