/**
 * Day partitions, made ahead. Creating one that exists is no error, so every process may call this at any time.
 */
import type { Pool } from 'pg';
import { clickIdDay } from '@tracheon/core/identity';

export const partitionedTables = ['visits', 'visit_addresses', 'button_clicks', 'receipts'] as const;
/** Days ahead of today that always exist: a process that slept over midnight still finds its partition. */
export const DAYS_AHEAD = 3;
/** Days back that always exist: a click ID made just before midnight, and clocks that differ. */
export const DAYS_BACK = 2;

/**
 * A receipt lies under the day of its ID, which is that of its arrival or up to a second later: SQL that names the one
 * day, or the next, so that no other partition is read.
 * The database knows this only once it reads, and has opened every partition by then: add the days of `daysOfReceipts`, or
 * the oldest one that can be meant, as a parameter.
 */
export const dayOfReceipt = (day: string, received: string): string =>
  `${day} BETWEEN (${received} AT TIME ZONE 'UTC')::date AND (${received} AT TIME ZONE 'UTC')::date + 1`;

/** In which days the receipts lie whose IDs `select` finds as `receipt_id`, to be read with `day = ANY`. */
export async function daysOfReceipts(
  db: Pick<Pool, 'query'>,
  select: string,
  values: readonly unknown[],
): Promise<string[]> {
  const { rows } = await db.query<{ receipt_id: string }>(select, [...values]);
  const days = [...new Set(rows.map((r) => clickIdDay(r.receipt_id)))];
  return days.length === 0 ? [NO_DAY] : days;
}
/** PostgreSQL opens every partition for `= ANY` of an empty list, and none for a day before all of them. */
const NO_DAY = '1970-01-01';

const DAY_MS = 86_400_000;
export const isoDay = (ms: number): string => new Date(ms).toISOString().slice(0, 10);
/**
 * The day in UTC that was so many days ago: what a question about the last days hands over as a parameter. The database
 * plans with the value of a parameter and opens the partitions of these days only. From `now()` it would learn the day after
 * it has planned with every partition there is, which took up to 50 ms at 60 days.
 */
export const dayAgo = (days: number, nowMs = Date.now()): string => isoDay(nowMs - days * DAY_MS);

export function ensurePartitions(pool: Pool, fromMs: number, toMs: number): Promise<number> {
  const days: number[] = [];
  for (let ms = Date.parse(isoDay(fromMs)); ms <= toMs; ms += DAY_MS) days.push(ms);
  return ensureDays(pool, days);
}

/** Days by their first moment. Returns how many tables were made. */
export async function ensureDays(pool: Pool, days: Iterable<number>): Promise<number> {
  const { rows } = await pool.query<{ name: string }>(
    `SELECT c.relname AS name FROM pg_inherits i JOIN pg_class c ON c.oid = i.inhrelid
     WHERE i.inhparent = ANY ($1::regclass[])`,
    [partitionedTables.map(String)],
  );
  const there = new Set(rows.map((r) => r.name));
  let made = 0;
  for (const ms of days)
    for (const table of partitionedTables) {
      const name = `${table}_${isoDay(ms).replaceAll('-', '')}`;
      if (there.has(name)) continue;
      await pool.query(
        `CREATE TABLE IF NOT EXISTS ${name} PARTITION OF ${table} FOR VALUES FROM ('${isoDay(ms)}') TO ('${isoDay(ms + DAY_MS)}')`,
      );
      made += 1;
    }
  return made;
}

/** Keeps the usual range ready; call at start and every hour. */
export const keepPartitions = (pool: Pool, nowMs: number): Promise<number> =>
  ensurePartitions(pool, nowMs - DAYS_BACK * DAY_MS, nowMs + DAYS_AHEAD * DAY_MS);

/** Drops the days of full addresses that are older than `days`; what else is known of those visits stays. Returns the tables dropped. */
export async function dropOldAddresses(pool: Pool, nowMs: number, days: number): Promise<string[]> {
  const { rows } = await pool.query<{ name: string }>(
    `SELECT c.relname AS name FROM pg_inherits i JOIN pg_class c ON c.oid = i.inhrelid
     WHERE i.inhparent = 'visit_addresses'::regclass ORDER BY 1`,
  );
  const oldest = `visit_addresses_${isoDay(nowMs - days * DAY_MS).replaceAll('-', '')}`;
  const old = rows.map((r) => r.name).filter((name) => /^visit_addresses_\d{8}$/.test(name) && name < oldest);
  for (const name of old) await pool.query(`DROP TABLE IF EXISTS ${name}`);
  return old;
}
