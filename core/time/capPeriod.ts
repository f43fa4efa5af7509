/** The hour, day, week or month of a zone in which a moment lies, as moments: what caps are counted by. Weeks begin on Monday. */
import { DateTime } from 'luxon';

export interface Span {
  startMs: number;
  /** The first moment after it. */
  endMs: number;
}
const steps = { hour: 'hours', day: 'days', week: 'weeks', month: 'months' } as const;

/** A day has 23 or 25 hours where the clock changes; the doubled hour of an autumn night is two hours. */
export function capPeriodAt(ms: number, period: keyof typeof steps | 'total', zone: string): Span {
  if (period === 'total') return { startMs: -Infinity, endMs: Infinity };
  const start = DateTime.fromMillis(ms, { zone }).startOf(period);
  const end = start.plus({ [steps[period]]: 1 }).startOf(period);
  return { startMs: start.toMillis(), endMs: end.toMillis() };
}
