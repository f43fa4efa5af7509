/**
 * Click IDs and record IDs are ULIDs (26 characters of Crockford base 32; the first ten are the time in
 * milliseconds). Compared without regard to case. The time in a click ID gives its day partition, so every read
 * by click ID names that day. Core makes none itself: it has no clock and no randomness.
 */
const ALPHABET = '0123456789ABCDEFGHJKMNPQRSTVWXYZ';
const ULID = /^[0-7][0-9A-HJKMNP-TV-Z]{25}$/;

/** The last millisecond of the year 9999: a later one has no day that a date could be written for. */
const LAST_MS = 253_402_300_799_999;

/**
 * The canonical form of what might be a click ID; null when it is none, or tells a time beyond any calendar.
 * Surrounding white space is the caller's to note.
 */
export function parseClickId(raw: string): string | null {
  const text = raw.trim().toUpperCase();
  return ULID.test(text) && clickIdTime(text) <= LAST_MS ? text : null;
}

/** Milliseconds since 1970 told by a ULID. */
export function clickIdTime(id: string): number {
  let time = 0;
  for (const c of id.slice(0, 10)) time = time * 32 + ALPHABET.indexOf(c);
  return time;
}

/** The UTC day (ISO date) of the partition in which the visit lies. */
export function clickIdDay(id: string): string {
  return new Date(clickIdTime(id)).toISOString().slice(0, 10);
}

/** A ULID from a time and 16 values of 0–31; for seeded generators. */
export function makeUlid(timeMs: number, random: readonly number[]): string {
  let head = '';
  for (let i = 0, t = Math.floor(timeMs); i < 10; i++, t = Math.floor(t / 32))
    head = ALPHABET[t % 32]! + head;
  return head + random.map((r) => ALPHABET[r & 31]!).join('');
}
