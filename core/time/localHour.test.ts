import { expect, it } from '@jest/globals';
import fc from 'fast-check';
import { DateTime } from 'luxon';
import { localHourIn, momentAt } from './index.ts';

it.each([
  ['2026-11-26T12:44:59Z', 'Europe/Brussels', 13, 3],
  ['2026-11-26T18:14:59Z', 'Asia/Kathmandu', 23, 3],
  ['2026-11-26T18:15:00Z', 'Asia/Kathmandu', 0, 4],
  // The night on which Brussels sets its clocks back has the hour from two to three twice.
  ['2026-10-25T00:30:00Z', 'Europe/Brussels', 2, 6],
  ['2026-10-25T01:30:00Z', 'Europe/Brussels', 2, 6],
  ['2026-10-25T02:30:00Z', 'Europe/Brussels', 3, 6],
])('%s in %s', (at, zone, hour, weekday) =>
  expect(localHourIn(zone)(Date.parse(at))).toEqual({ hour, weekday }),
);

it('agrees with the calendar at any moments, in any order', () => {
  const zones = ['Europe/Brussels', 'Asia/Kathmandu', 'Australia/Lord_Howe', 'America/St_Johns', 'UTC'];
  fc.assert(
    fc.property(
      fc.constantFrom(...zones),
      fc.array(fc.integer({ min: Date.UTC(2020, 0), max: Date.UTC(2032, 0) }), { minLength: 1 }),
      (zone, moments) => {
        const at = localHourIn(zone);
        for (const ms of moments) {
          const there = DateTime.fromMillis(ms, { zone });
          expect(at(ms)).toEqual({ hour: there.hour, weekday: there.weekday - 1 });
        }
      },
    ),
  );
});

it('finds a moment of an hour and a weekday in any zone', () => {
  fc.assert(
    fc.property(
      fc.constantFrom('Europe/Brussels', 'Asia/Kathmandu', 'UTC'),
      fc.integer({ min: Date.UTC(2026, 0), max: Date.UTC(2027, 0) }),
      fc.integer({ min: 0, max: 23 }),
      fc.integer({ min: 0, max: 6 }),
      (zone, from, hour, weekday) => {
        const ms = momentAt(from, zone, hour, weekday);
        expect(ms).toBeGreaterThanOrEqual(from);
        expect(localHourIn(zone)(ms)).toEqual({ hour, weekday });
      },
    ),
  );
  expect(momentAt(5, 'UTC', null, null)).toBe(5);
});
