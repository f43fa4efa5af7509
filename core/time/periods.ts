/** Periods that a report is asked for: named ones, any range of days, the one before and the one after. */
import { daysIn, firstOfMonth, lastOfMonth, shiftDay, shiftMonth } from './localDay.ts';

/** First and last day, both included. */
export interface DayRange {
  from: string;
  to: string;
}

export const periodNames = ['today', 'yesterday', '7d', '14d', '30d', 'this_month', 'last_month'] as const;
export type PeriodName = (typeof periodNames)[number];

const ranges: Record<PeriodName, (today: string) => DayRange> = {
  today: (today) => ({ from: today, to: today }),
  yesterday: (today) => ({ from: shiftDay(today, -1), to: shiftDay(today, -1) }),
  '7d': (today) => ({ from: shiftDay(today, -6), to: today }),
  '14d': (today) => ({ from: shiftDay(today, -13), to: today }),
  '30d': (today) => ({ from: shiftDay(today, -29), to: today }),
  this_month: (today) => ({ from: firstOfMonth(today), to: today }),
  last_month: (today) => {
    const from = firstOfMonth(shiftMonth(today, -1));
    return { from, to: lastOfMonth(from) };
  },
};
export const periodDays = (name: PeriodName, today: string): DayRange => ranges[name](today);

const isWholeMonth = ({ from, to }: DayRange): boolean =>
  from === firstOfMonth(from) && to === lastOfMonth(from);

/** The range so many steps away: a whole month by months, any other by its own length. */
export function stepRange(range: DayRange, steps: number): DayRange {
  if (isWholeMonth(range)) {
    const from = shiftMonth(range.from, steps);
    return { from, to: lastOfMonth(from) };
  }
  const by = steps * daysIn(range);
  return { from: shiftDay(range.from, by), to: shiftDay(range.to, by) };
}

/** Of fewer days since its first, a month is a period of days like any other. */
const LEAST_MONTH_DAYS = 8;

/** What a range is compared with: the one before; of a month that goes on, the same days of the month before. */
export function rangeBefore(range: DayRange): DayRange {
  const { from, to } = range;
  const isMonthSoFar =
    from === firstOfMonth(from) && from === firstOfMonth(to) && daysIn(range) >= LEAST_MONTH_DAYS;
  if (!isMonthSoFar || isWholeMonth(range)) return stepRange(range, -1);
  return { from: shiftMonth(from, -1), to: shiftMonth(to, -1) };
}
