import { afterEach, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { calendarDay, pickerDate } from './calendarDays.ts';

const zone = process.env.TZ;
afterEach(() => {
  process.env.TZ = zone;
});

it.each(['Pacific/Kiritimati', 'Pacific/Pago_Pago', 'Europe/Brussels', 'America/Sao_Paulo'])(
  'a day stays the day that is meant in a browser in %s',
  (tz) => {
    process.env.TZ = tz;
    fc.assert(
      fc.property(
        // Before, a zone may have left out a whole day: Kiritimati had no 31 December 1994.
        fc.date({ min: new Date('2012-01-01'), max: new Date('2099-12-31'), noInvalidDate: true }),
        (date) => {
          const day = date.toISOString().slice(0, 10);
          expect(calendarDay(pickerDate(day)!)).toBe(day);
        },
      ),
    );
  },
);

it('what is no day is none', () => {
  for (const text of ['', '2026-02-30', '26-1-1', 'today', '2026-13-01']) expect(pickerDate(text)).toBeNull();
});
