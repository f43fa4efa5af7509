/**
 * What reports break their figures down by: a column of the visit, a named sub-ID, an extra of the conversion,
 * or the time of the visit in the desk's zone. One list for screens, exports and the API.
 */
import { DateTime } from 'luxon';
import { dimensions, type NamedDimension } from './dimensions.ts';

export const timeGroupings = {
  day: { label: 'Day', of: (at: DateTime) => at.toISODate()! },
  /** By its Monday. */
  week: { label: 'Week', of: (at: DateTime) => at.startOf('week').toISODate()! },
  month: { label: 'Month', of: (at: DateTime) => at.toFormat('yyyy-MM') },
  hour: { label: 'Hour', of: (at: DateTime) => at.toFormat('HH') },
  /** 1 is Monday. */
  weekday: { label: 'Weekday', of: (at: DateTime) => String(at.weekday) },
} as const;
export type TimeGrouping = keyof typeof timeGroupings;

export type Grouping =
  | { kind: 'column'; dimension: NamedDimension }
  | { kind: 'sub'; sub: string }
  | { kind: 'extra'; extra: string }
  | { kind: 'time'; time: TimeGrouping };

/** Before the name of a sub-ID, as in its token. */
export const SUB_PREFIX = 'sub_';
/** Before the name of an extra of conversions, as in its token. A visit has none. */
export const EXTRA_PREFIX = 'extra_';

/** By the name that the API gives it; undefined when there is none. */
export function groupingOf(name: string): Grouping | undefined {
  if (name.startsWith(SUB_PREFIX) && name.length > SUB_PREFIX.length)
    return { kind: 'sub', sub: name.slice(SUB_PREFIX.length) };
  if (name.startsWith(EXTRA_PREFIX) && name.length > EXTRA_PREFIX.length)
    return { kind: 'extra', extra: name.slice(EXTRA_PREFIX.length) };
  if (Object.hasOwn(timeGroupings, name)) return { kind: 'time', time: name as TimeGrouping };
  const dimension = dimensions.find((d) => d.name === name);
  return dimension && { kind: 'column', dimension };
}

const QUARTER_MS = 900_000;
/** Every zone is off by whole quarters of an hour, so that a quarter of an hour lies in one local hour and day. */
export const quarterOf = (ms: number): number => Math.floor(ms / QUARTER_MS);

/** What a quarter of an hour is in these groupings. */
export function timeValues(quarter: number, zone: string, groupings: readonly TimeGrouping[]): string[] {
  const at = DateTime.fromMillis(quarter * QUARTER_MS, { zone });
  return groupings.map((g) => timeGroupings[g].of(at));
}
