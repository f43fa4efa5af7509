import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import {
  daysIn,
  isDay,
  localDay,
  periodDays,
  periodNames,
  rangeBefore,
  shiftDay,
  stepRange,
} from './index.ts';

const at = (iso: string): number => Date.parse(iso);

describe('the day of a moment', () => {
  it.each([
    ['2026-11-25T12:00:00Z', 'Europe/Brussels', '2026-11-25'],
    // Half past midnight here is yesterday there.
    ['2026-11-25T23:30:00Z', 'Europe/Brussels', '2026-11-26'],
    ['2026-11-25T03:00:00Z', 'America/Toronto', '2026-11-24'],
    ['2026-11-25T18:20:00Z', 'Asia/Kathmandu', '2026-11-26'],
    ['2026-11-25T10:00:00Z', 'Pacific/Kiritimati', '2026-11-26'],
    // Over the day of 25 hours and the one of 23.
    ['2026-10-25T22:59:59Z', 'Europe/Brussels', '2026-10-25'],
    ['2026-10-25T23:00:00Z', 'Europe/Brussels', '2026-10-26'],
    ['2026-03-29T22:00:00Z', 'Europe/Brussels', '2026-03-30'],
  ])('%s in %s: %s', (moment, zone, day) => expect(localDay(at(moment), zone)).toBe(day));
  it('is the one that the runtime says, everywhere and always', () => {
    const zones = fc.constantFrom(
      'Europe/Brussels',
      'America/St_Johns',
      'Asia/Kathmandu',
      'Pacific/Apia',
      'UTC',
    );
    fc.assert(
      fc.property(fc.integer({ min: at('1990-01-01'), max: at('2060-01-01') }), zones, (ms, timeZone) => {
        expect(localDay(ms, timeZone)).toBe(new Intl.DateTimeFormat('sv-SE', { timeZone }).format(ms));
      }),
    );
  });
  it('knows which days there are', () => {
    expect(['2026-02-28', '2028-02-29'].every(isDay)).toBe(true);
    expect(['2026-02-29', '2026-13-01', '2026-1-1', 'yesterday', '', '2026-02-28T00:00'].some(isDay)).toBe(
      false,
    );
  });
});

describe('a named period', () => {
  it.each([
    ['today', '2026-11-25', '2026-11-25'],
    ['yesterday', '2026-11-24', '2026-11-24'],
    ['7d', '2026-11-19', '2026-11-25'],
    ['14d', '2026-11-12', '2026-11-25'],
    ['30d', '2026-10-27', '2026-11-25'],
    ['this_month', '2026-11-01', '2026-11-25'],
    ['last_month', '2026-10-01', '2026-10-31'],
  ] as const)('%s: %s to %s', (name, from, to) =>
    expect(periodDays(name, '2026-11-25')).toEqual({ from, to }),
  );
  it('of last month is whole, whatever the day', () => {
    expect(periodDays('last_month', '2026-03-31')).toEqual({ from: '2026-02-01', to: '2026-02-28' });
    expect(periodDays('last_month', '2026-01-01')).toEqual({ from: '2025-12-01', to: '2025-12-31' });
  });
});

describe('the period before', () => {
  it.each([
    // Days, also over the change of the clock.
    ['2026-10-21', '2026-10-27', '2026-10-14', '2026-10-20'],
    ['2026-11-25', '2026-11-25', '2026-11-24', '2026-11-24'],
    // Months stay months.
    ['2026-03-01', '2026-03-31', '2026-02-01', '2026-02-28'],
    ['2026-11-01', '2026-11-25', '2026-10-01', '2026-10-25'],
    ['2026-03-01', '2026-03-30', '2026-02-01', '2026-02-28'],
    // The first days of a month are days.
    ['2026-11-01', '2026-11-03', '2026-10-29', '2026-10-31'],
  ])('of %s to %s: %s to %s', (from, to, before, last) =>
    expect(rangeBefore({ from, to })).toEqual({ from: before, to: last }),
  );
  it('ends the day before this one begins, and is as long, but for months', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 3000 }), fc.integer({ min: 1, max: 120 }), (start, length) => {
        const from = shiftDay('2020-01-02', start);
        const range = { from, to: shiftDay(from, length - 1) };
        fc.pre(!from.endsWith('-01'));
        const before = rangeBefore(range);
        fc.pre(!before.from.endsWith('-01'));
        expect([shiftDay(before.to, 1), daysIn(before)]).toEqual([range.from, length]);
        expect(stepRange(before, 1)).toEqual(range);
      }),
    );
  });
  it('every named one has one before it that does not overlap', () => {
    for (const name of periodNames) {
      const range = periodDays(name, '2026-11-25');
      expect([name, rangeBefore(range).to < range.from]).toEqual([name, true]);
    }
  });
});
