/**
 * Between our calendar days (`YYYY-MM-DD`, a day of the desk, no instant) and the Date that a picker holds. The picker
 * works with the browser's local calendar fields, so only those are written and read: a browser in any zone shows the day
 * that is meant.
 */
const two = (n: number): string => String(n).padStart(2, '0');

/** The day that the picker shows for this Date. */
export const calendarDay = (d: Date): string =>
  `${String(d.getFullYear()).padStart(4, '0')}-${two(d.getMonth() + 1)}-${two(d.getDate())}`;

/** The Date for which a picker shows this day; null for an empty or impossible one. Noon exists on every day of every zone. */
export function pickerDate(day: string): Date | null {
  const match = /^(\d{4})-(\d{2})-(\d{2})$/.exec(day);
  if (!match) return null;
  const date = new Date(Number(match[1]), Number(match[2]) - 1, Number(match[3]), 12);
  return calendarDay(date) === day ? date : null;
}
