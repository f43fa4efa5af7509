/** How today goes, against the same hours of earlier days. */

/** Sums of one hour of the day, over one or several days. */
export interface HourSums {
  /** As `hour` groups it: 00 to 23. */
  hour: string;
  visits: number;
  spentMicros: bigint;
  expectedMicros: bigint;
}
export interface PaceOf {
  /** Up to the last full hour. */
  soFar: number;
  /** A usual day up to the same hour. */
  usual: number;
  /** What today comes to if it goes on as it does; null while a usual day has nothing by now. */
  ahead: number | null;
}
export interface Pace {
  /** Hours that are over, from midnight. */
  hours: number;
  visits: PaceOf;
  spent: PaceOf;
  expected: PaceOf;
}

/** Fewer hours say little of a day. */
export const LEAST_HOURS = 3;

/** `earlier`: over `days` days. Amounts come back in whole units. null while too little of the day is over, or nothing is known. */
export function paceOf(
  today: readonly HourSums[],
  earlier: readonly HourSums[],
  { hours, days }: { hours: number; days: number },
): Pace | null {
  if (hours < LEAST_HOURS || days <= 0) return null;
  const measure = (of: (h: HourSums) => number): PaceOf => {
    const until = (all: readonly HourSums[], last: number): number =>
      all.filter((h) => Number(h.hour) < last).reduce((sum, h) => sum + of(h), 0);
    const [soFar, usual, whole] = [
      until(today, hours),
      until(earlier, hours) / days,
      until(earlier, 24) / days,
    ];
    return { soFar, usual, ahead: usual <= 0 ? null : (soFar * whole) / usual };
  };
  const pace = {
    hours,
    visits: measure((h) => h.visits),
    spent: measure((h) => Number(h.spentMicros) / 1e6),
    expected: measure((h) => Number(h.expectedMicros) / 1e6),
  };
  return pace.visits.usual <= 0 ? null : pace;
}
