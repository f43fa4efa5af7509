import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { capPeriodAt } from './capPeriod.ts';

const iso = (at: string, period: 'hour' | 'day' | 'week' | 'month', zone: string): string[] => {
  const { startMs, endMs } = capPeriodAt(Date.parse(at), period, zone);
  return [startMs, endMs].map((ms) => new Date(ms).toISOString().slice(0, 16));
};

describe('the period of a cap', () => {
  it.each([
    ['2026-11-25T12:34:00Z', 'day', 'Europe/Brussels', '2026-11-24T23:00', '2026-11-25T23:00'],
    ['2026-11-25T12:34:00Z', 'week', 'Europe/Brussels', '2026-11-22T23:00', '2026-11-29T23:00'],
    ['2026-11-25T12:34:00Z', 'month', 'Asia/Kathmandu', '2026-10-31T18:15', '2026-11-30T18:15'],
    ['2026-11-25T12:34:00Z', 'hour', 'Asia/Kathmandu', '2026-11-25T12:15', '2026-11-25T13:15'],
    // Days of 25 and of 23 hours.
    ['2026-10-25T12:00:00Z', 'day', 'Europe/Brussels', '2026-10-24T22:00', '2026-10-25T23:00'],
    ['2026-03-29T12:00:00Z', 'day', 'Europe/Brussels', '2026-03-28T23:00', '2026-03-29T22:00'],
    // The hour from two to three comes twice.
    ['2026-10-25T00:30:00Z', 'hour', 'Europe/Brussels', '2026-10-25T00:00', '2026-10-25T01:00'],
    ['2026-10-25T01:30:00Z', 'hour', 'Europe/Brussels', '2026-10-25T01:00', '2026-10-25T02:00'],
  ] as const)('of %s by %s in %s', (at, period, zone, from, to) => {
    expect(iso(at, period, zone)).toEqual([from, to]);
  });
  it('has no end for a cap in total', () => {
    expect(capPeriodAt(0, 'total', 'UTC')).toEqual({ startMs: -Infinity, endMs: Infinity });
  });
  it('holds the moment, and the next one begins where it ends', () => {
    const zones = fc.constantFrom('Europe/Brussels', 'America/Toronto', 'Asia/Tokyo', 'Pacific/Kiritimati');
    const periods = fc.constantFrom('hour' as const, 'day' as const, 'week' as const, 'month' as const);
    const moments = fc.integer({ min: Date.parse('2024-01-01'), max: Date.parse('2030-01-01') });
    fc.assert(
      fc.property(moments, periods, zones, (ms, period, zone) => {
        const { startMs, endMs } = capPeriodAt(ms, period, zone);
        expect(startMs).toBeLessThanOrEqual(ms);
        expect(endMs).toBeGreaterThan(ms);
        expect(capPeriodAt(endMs, period, zone).startMs).toBe(endMs);
        expect(capPeriodAt(endMs - 1, period, zone).startMs).toBe(startMs);
      }),
    );
  });
});
