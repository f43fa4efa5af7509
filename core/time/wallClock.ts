/** Moments as clocks on the wall of a zone show them, for fields in which a member sets one. */
import { DateTime } from 'luxon';

/** Month from 1. */
export interface WallClock {
  year: number;
  month: number;
  day: number;
  hour: number;
  minute: number;
}

/** What clocks in the zone show at the moment, an ISO time. */
export function wallClock(moment: string, zone: string): WallClock {
  const { year, month, day, hour, minute } = DateTime.fromISO(moment, { zone });
  return { year, month, day, hour, minute };
}

/** The moment, an ISO time, at which clocks in the zone show this; of a doubled hour the second, of a skipped one as if it had not been skipped. */
export const momentOf = (clock: WallClock, zone: string): string =>
  DateTime.fromObject(clock, { zone }).toUTC().toISO()!;
