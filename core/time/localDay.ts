/** Calendar days of a zone, as `YYYY-MM-DD`. Zones by luxon, which reads the runtime's own zone data. */
import { DateTime } from 'luxon';

export const DAY_PATTERN = /^\d{4}-\d{2}-\d{2}$/;

/** The day on which this moment falls in the zone. */
export const localDay = (ms: number, zone: string): string => DateTime.fromMillis(ms, { zone }).toISODate()!;

/** A day has no zone: days are counted in the one that has no changes of the clock. */
const calendar = (day: string): DateTime => DateTime.fromISO(day, { zone: 'utc' });

/** False for what is no day of the calendar, as 30 February. */
export const isDay = (text: string): boolean => DAY_PATTERN.test(text) && calendar(text).isValid;

export const shiftDay = (day: string, by: number): string => calendar(day).plus({ days: by }).toISODate()!;

/** Days from the first to the last, both included. */
export const daysIn = ({ from, to }: { from: string; to: string }): number =>
  Math.round(calendar(to).diff(calendar(from), 'days').days) + 1;

export const firstOfMonth = (day: string): string => calendar(day).startOf('month').toISODate()!;
export const lastOfMonth = (day: string): string => calendar(day).endOf('month').toISODate()!;
/** The same day so many months away; the month's last one where it has fewer. */
export const shiftMonth = (day: string, by: number): string =>
  calendar(day).plus({ months: by }).toISODate()!;

/** The first moment of a local day, in ms since 1970; where a change of the clock leaves midnight out, the first one after it. */
export const dayStart = (day: string, zone: string): number =>
  DateTime.fromISO(day, { zone }).startOf('day').toMillis();

/** The moment so many days before at the same time of the zone's clock, also across a change of summer time. */
export const daysBefore = (ms: number, days: number, zone: string): number =>
  DateTime.fromMillis(ms, { zone }).minus({ days }).toMillis();
