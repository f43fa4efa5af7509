/** The desk of a report, and the days that it asks for. */
import { localDay, periodDays, type DayRange } from '@tracheon/core/time';

export interface ReportDesk {
  id: string;
  zone: string;
  currency: string;
}

/** The last seven days, unless the question names others; a half-open one is a single day. */
export function askedDays({ from, to }: Partial<DayRange>, nowMs: number, zone: string): DayRange {
  if (from === undefined && to === undefined) return periodDays('7d', localDay(nowMs, zone));
  return { from: from ?? to!, to: to ?? from! };
}
