/** Weekday and hour of a moment in a zone, cheap enough for every visit: what quarters of an hour gave is remembered. */
import { DateTime } from 'luxon';

const QUARTER_MS = 900_000;

export interface LocalHour {
  /** 0 to 23; the doubled hour of an autumn night comes twice. */
  hour: number;
  /** 0 is Monday. */
  weekday: number;
}

/** Two weeks of quarters. */
const MAX_REMEMBERED = 1344;

/** Every zone is off by whole quarters of an hour, so that a quarter never crosses an hour. */
export function localHourIn(zone: string): (ms: number) => LocalHour {
  const known = new Map<number, LocalHour>();
  return (ms) => {
    const quarter = Math.floor(ms / QUARTER_MS);
    let found = known.get(quarter);
    if (!found) {
      const { hour, weekday } = DateTime.fromMillis(ms, { zone });
      if (known.size >= MAX_REMEMBERED) known.clear();
      known.set(quarter, (found = { hour, weekday: weekday - 1 }));
    }
    return found;
  };
}

const HOUR_MS = 3_600_000;
const WEEK_HOURS = 7 * 24;

/** The first moment from `fromMs` on with this local hour and weekday (0 is Monday); null stands for any. */
export function momentAt(fromMs: number, zone: string, hour: number | null, weekday: number | null): number {
  const at = localHourIn(zone);
  // An hour that a change of the clock leaves out comes a week later.
  for (let n = 0; n <= 2 * WEEK_HOURS; n++) {
    const ms = fromMs + n * HOUR_MS;
    const there = at(ms);
    if ((hour === null || there.hour === hour) && (weekday === null || there.weekday === weekday)) return ms;
  }
  return fromMs;
}
