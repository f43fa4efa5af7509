/**
 * A partner's time. ISO 8601 with an offset, or without one in the network's zone; seconds or milliseconds since 1970. What
 * cannot be read, does not exist or lies ahead of its arrival is noted and not used: a time gives day and order, and a wrong
 * one would move money.
 */
import { DateTime } from 'luxon';

export interface TimeGround {
  /** IANA name; empty when the network has none set. */
  zone: string;
  /** When the postback arrived, in ms since 1970. */
  arrivedAt: number;
}

/** Clocks differ by minutes, zones by hours; a day is neither. */
const MAX_AHEAD_MS = 24 * 3_600_000;
/** Before 2000 or after 2100 it is a mistake, not a time. */
const FIRST_MS = 946_684_800_000;
const LAST_MS = 4_102_444_800_000;

const ISO = /^\d{4}-\d\d-\d\d(?:T\d\d:\d\d(?::\d\d(?:[.,]\d{1,9})?)?)?(Z|[+-]\d\d(?::?\d\d)?)?$/i;

export function readTime(
  value: string | null,
  name: string,
  notes: string[],
  { zone, arrivedAt }: TimeGround,
): number | null {
  if (value === null) return null;
  const ms = asNumber(value) ?? asPlain(value) ?? asIso(value, name, zone, notes);
  if (ms === null || !(ms > FIRST_MS && ms < LAST_MS)) {
    notes.push(`unreadable:${name}`);
    return null;
  }
  if (ms > arrivedAt + MAX_AHEAD_MS) {
    notes.push(`far_ahead:${name}`);
    return null;
  }
  return ms;
}

function asNumber(value: string): number | null {
  if (!/^(?:\d{10}|\d{13})$/.test(value)) return null;
  return Number(value) * (value.length === 10 ? 1000 : 1);
}

/** As most programs write it, and we ourselves. What exists comes out as it went in; all else is looked at again. */
function asPlain(value: string): number | null {
  if (!/^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z$/.test(value)) return null;
  const ms = Date.parse(value);
  return Number.isNaN(ms) || new Date(ms).toISOString() !== value ? null : ms;
}

function asIso(value: string, name: string, zone: string, notes: string[]): number | null {
  // Between date and time stands a T, a space, or a plus sign: a space that was encoded as in forms.
  const iso = value.replace(/^(\d{4}-\d\d-\d\d)[ +](?=\d\d:)/, '$1T').replace(/ (?=[+-]\d\d|Z$)/, '');
  const match = ISO.exec(iso);
  if (!match) return null;
  const time = DateTime.fromISO(iso.replace(',', '.'), { zone: zone || 'utc' });
  if (!time.isValid) return null;
  if (match[1] === undefined && zone === '') notes.push(`no_zone:${name}`);
  return time.toMillis();
}
