/**
 * Looks at which nothing changes: what is open is still open, and looks the same. Most looks are so; all of a shape are
 * written down together, without the transaction that each of the others has.
 */
import type { Pool } from 'pg';
import { nextCheck, seenOf } from '@tracheon/core/watches';
import type { SeenFigure } from '@tracheon/core/contract';
import { ulidAt } from '../db/pooledUlid.ts';
import { noteOf, type Booking } from './bookFindings.ts';

/** An open finding, as it was seen last. */
export interface OpenFinding {
  watchId: string;
  value: string;
  name: string;
  state: string;
  spentMicros: string;
  seen: readonly SeenFigure[];
}

/** Of watches, by their IDs. */
export async function openFindings(
  pool: Pool,
  watchIds: readonly string[],
): Promise<ReadonlyMap<string, ReadonlyMap<string, OpenFinding>>> {
  const { rows } = await pool.query<OpenFinding>(
    `SELECT watch_id AS "watchId", value, name, state, spent_micros::text AS "spentMicros", seen FROM watch_findings
     WHERE watch_id = ANY ($1) AND ended_at IS NULL`,
    [watchIds],
  );
  const all = new Map<string, Map<string, OpenFinding>>();
  for (const row of rows) {
    const of = all.get(row.watchId) ?? new Map<string, OpenFinding>();
    all.set(row.watchId, of.set(row.value, row));
  }
  return all;
}

/** Whether nothing is found, nothing ends, nothing waits for an act, and everything is shown as it is now. */
export function isQuietRun(
  { watch, matched, own }: Pick<Booking, 'watch' | 'matched' | 'own'>,
  open: ReadonlyMap<string, OpenFinding> | undefined,
): boolean {
  if (matched.length !== (open?.size ?? 0)) return false;
  return matched.every((row) => {
    const was = open!.get(row.value);
    return (
      was !== undefined &&
      was.state !== 'put_off' &&
      was.name === row.name &&
      was.spentMicros === row.figures.spentMicros &&
      isSame(was.seen, seenOf(watch.body, row, own))
    );
  });
}
const isSame = (a: readonly SeenFigure[], b: readonly SeenFigure[]): boolean =>
  a.length === b.length &&
  a.every((one, i) => {
    const other = b[i]!;
    return (
      one.figure === other.figure &&
      one.value === other.value &&
      (one.usual ?? null) === (other.usual ?? null) &&
      'usual' in one === 'usual' in other
    );
  });

/** Returns the IDs of the watches that nobody else has looked at or changed meanwhile. */
export async function bookQuietRuns(pool: Pool, bookings: readonly Booking[]): Promise<string[]> {
  const rows = bookings.map((b) => ({
    watch: b.watch.id,
    was: b.watch.next_at!.toISOString(),
    next: new Date(nextCheck(b.watch.next_at!.getTime(), b.watch.body, b.nowMs)).toISOString(),
    run: ulidAt(b.nowMs),
    at: new Date(b.nowMs).toISOString(),
    from: new Date(b.looked.fromMs).toISOString(),
    to: new Date(b.looked.toMs).toISOString(),
    rows: b.looked.rows.length,
    matched: b.matched.length,
    note: noteOf(b),
  }));
  const { rows: done } = await pool.query<{ id: string }>(
    `WITH r AS (SELECT * FROM json_to_recordset($1) AS r (watch text, was timestamptz, next timestamptz, run text, at timestamptz,
         "from" timestamptz, "to" timestamptz, rows integer, matched integer, note text)),
       held AS (SELECT w.id FROM watches w JOIN r ON w.id = r.watch AND w.next_at = r.was ORDER BY w.id FOR UPDATE OF w),
       looked AS (UPDATE watches w SET next_at = r.next, waits = '' FROM r, held
         WHERE held.id = r.watch AND w.id = r.watch AND w.next_at = r.was RETURNING w.id)
     INSERT INTO watch_runs (id, watch_id, at, from_at, to_at, rows, matched, found, acted, note)
     SELECT r.run, r.watch, r.at, r."from", r."to", r.rows, r.matched, 0, 0, r.note FROM r JOIN looked ON looked.id = r.watch
     RETURNING watch_id AS id`,
    [JSON.stringify(rows)],
  );
  return done.map((d) => d.id);
}
