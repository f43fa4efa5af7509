/** Feeds of a desk and their runs, as they lie in PostgreSQL. */
import type { Pool } from 'pg';
import { monotonicFactory, ulid } from 'ulid';
import { feedInput, type FeedInput, type FeedRecord, type FeedRun } from '@tracheon/core/contract';
import { localDay, shiftDay } from '@tracheon/core/time';
import type { Reads } from '../db/pools.ts';
import { Problem } from '../problems/problem.ts';

const UNIQUE_VIOLATION = '23505';
const MAX_RUNS_SHOWN = 200;
/** Days back that are asked for as long as they have no final. */
export const OPEN_DAYS = 10;

export interface FeedRow {
  id: string;
  desk_id: string;
  /** One of the two: who pays, or who bills. */
  network_id: string | null;
  source_id: string | null;
  body: FeedInput;
  secret_id: string;
  next_at: Date | null;
  changed_by: string;
  failures: number;
  rests_until: Date | number;
}
export interface FeedRunRow {
  id: string;
  desk_id: string;
  feed_id: string;
  day: string;
  state: FeedRun['state'];
  as_of: Date;
  is_final: boolean;
  is_complete: boolean;
  rows: number;
  amount_micros: string;
  stated_micros: string | null;
  told: number;
  problem: string;
  notes: string;
  batch_id: string;
  report_id: string;
  ordered_at: Date | null;
  tries: number;
  started_at: Date;
  ended_at: Date | null;
}

export const asRun = (r: FeedRunRow): FeedRun => ({
  id: r.id,
  day: r.day,
  state: r.state,
  isFinal: r.is_final,
  isComplete: r.is_complete,
  rows: r.rows,
  amountMicros: r.amount_micros,
  statedMicros: r.stated_micros,
  told: r.told,
  problem: r.problem,
  notes: r.notes,
  startedAt: r.started_at.toISOString(),
  endedAt: r.ended_at?.toISOString() ?? null,
});

export async function listFeeds(pool: Pool, deskId: string, id?: string): Promise<FeedRecord[]> {
  const { rows } = await pool.query<FeedRow & { partner: string }>(
    `SELECT f.*, coalesce(p.name, '') AS partner FROM feeds f LEFT JOIN parts p ON p.id = coalesce(f.network_id, f.source_id)
     WHERE f.desk_id = $1 AND ($2 = '' OR f.id = $2) ORDER BY lower(f.body->>'name')`,
    [deskId, id ?? ''],
  );
  const { rows: runs } = await pool.query<FeedRunRow>(
    `SELECT DISTINCT ON (feed_id) *, day::text AS day FROM feed_runs WHERE feed_id = ANY ($1) AND state <> 'queued' ORDER BY feed_id, id DESC`,
    [rows.map((r) => r.id)],
  );
  const last = new Map(runs.map((r) => [r.feed_id, r]));
  return rows.map((r) => ({
    id: r.id,
    body: feedInput.parse(r.body),
    hasSecret: r.secret_id !== '',
    partnerName: r.partner,
    lastRun: last.has(r.id) ? asRun(last.get(r.id)!) : null,
    nextAt: r.next_at?.toISOString() ?? null,
    restsUntil: r.rests_until instanceof Date ? r.rests_until.toISOString() : null,
  }));
}

export async function oneFeed(pool: Reads, deskId: string, id: string): Promise<FeedRow> {
  const { rows } = await pool.query<FeedRow>('SELECT * FROM feeds WHERE desk_id = $1 AND id = $2', [
    deskId,
    id,
  ]);
  if (!rows[0]) throw new Problem('not_found');
  return { ...rows[0], body: feedInput.parse(rows[0].body) };
}

/** `id`: null for a new one; `secretId`: null keeps the one that is there. */
export async function saveFeed(
  pool: Pool,
  by: { deskId: string; memberId: string },
  id: string | null,
  body: FeedInput,
  secretId: string | null,
): Promise<string> {
  const feedId = id ?? ulid();
  const nextAt = body.isOn ? new Date() : null;
  const [kind, partId] = body.gives === 'cost' ? ['source', body.sourceId] : ['network', body.networkId];
  const column = `${kind}_id`;
  const other = body.gives === 'cost' ? 'network_id' : 'source_id';
  try {
    const { rowCount } = await pool.query(
      id === null
        ? `INSERT INTO feeds (id, desk_id, ${column}, body, secret_id, next_at, changed_by)
           SELECT $1, $2, p.id, $4, coalesce($5, ''), $6, $7 FROM parts p WHERE p.desk_id = $2 AND p.id = $3 AND p.kind = '${kind}'`
        : `UPDATE feeds f SET ${column} = p.id, ${other} = NULL, body = $4, secret_id = coalesce($5, secret_id), next_at = $6, changed_by = $7,
             changed_at = now(), failures = 0, rests_until = '-infinity'
           FROM parts p WHERE f.id = $1 AND f.desk_id = $2 AND p.desk_id = $2 AND p.id = $3 AND p.kind = '${kind}'`,
      [feedId, by.deskId, partId, JSON.stringify(body), secretId, nextAt, by.memberId],
    );
    if (rowCount === 0) throw new Problem('not_found');
    return feedId;
  } catch (error) {
    if ((error as { code?: string }).code === UNIQUE_VIOLATION) throw new Problem('name_taken');
    throw error;
  }
}

const OPEN = `state IN ('queued', 'running', 'fetched')`;

export async function runsOf(
  pool: Pool,
  deskId: string,
  feedId: string,
): Promise<{ rows: FeedRun[]; batch: { days: number; ended: number; failed: number } | null }> {
  await oneFeed(pool, deskId, feedId);
  const { rows } = await pool.query<FeedRunRow>(
    `SELECT *, day::text AS day FROM feed_runs WHERE feed_id = $1 ORDER BY id DESC LIMIT ${MAX_RUNS_SHOWN}`,
    [feedId],
  );
  const { rows: batches } = await pool.query<{ days: number; ended: number; failed: number }>(
    `SELECT count(*)::int AS days, count(*) FILTER (WHERE NOT ${OPEN})::int AS ended, count(*) FILTER (WHERE state = 'failed')::int AS failed
     FROM feed_runs WHERE feed_id = $1 AND batch_id <> '' AND batch_id IN (SELECT batch_id FROM feed_runs WHERE feed_id = $1 AND ${OPEN})`,
    [feedId],
  );
  return { rows: rows.map(asRun), batch: batches[0]!.days === 0 ? null : batches[0]! };
}

/** What is being counted is finished; a run that fetches loses its lease with its next page. Returns how many ended. */
export async function stopRuns(pool: Pool, deskId: string, feedId: string): Promise<number> {
  await oneFeed(pool, deskId, feedId);
  const { rows } = await pool.query<{ id: string }>(
    `UPDATE feed_runs SET state = 'stopped', lease = '', problem = '', ended_at = now() WHERE feed_id = $1 AND state IN ('queued', 'running') RETURNING id`,
    [feedId],
  );
  await pool.query('DELETE FROM feed_rows WHERE run_id = ANY ($1)', [rows.map((r) => r.id)]);
  return rows.length;
}

/** Days of one call are fetched in their order. */
const inOrder = monotonicFactory();
/** A day that is waiting or under way already is not asked for twice. `batchId`: a member asked for them together. */
export async function queueDays(
  client: Reads,
  feed: Pick<FeedRow, 'id' | 'desk_id'>,
  days: readonly string[],
  batchId = '',
): Promise<void> {
  await client.query(
    `INSERT INTO feed_runs (id, desk_id, feed_id, day, state, batch_id)
     SELECT i, $2, $3, d::date, 'queued', $5 FROM unnest($1::text[], $4::text[]) AS t (i, d)
     ON CONFLICT (feed_id, day) WHERE state IN ('queued', 'running', 'fetched') DO NOTHING`,
    [days.map(() => inOrder()), feed.desk_id, feed.id, [...days].sort(), batchId],
  );
}

/** Asked for by hand: at once, however often it failed before. */
export const endRest = (pool: Pool, feedId: string): Promise<unknown> =>
  pool.query(`UPDATE feeds SET failures = 0, rests_until = '-infinity' WHERE id = $1`, [feedId]);

/** Queues what is due: today, yesterday, and later days that have no final yet where finals come. */
export async function queueDue(pool: Pool, nowMs: number): Promise<void> {
  const { rows } = await pool.query<FeedRow>('SELECT * FROM feeds WHERE next_at <= $1', [new Date(nowMs)]);
  for (const row of rows) {
    const body = feedInput.parse(row.body);
    const today = localDay(nowMs, body.zone || 'UTC');
    const back = body.finals === 'never' ? 1 : OPEN_DAYS;
    const days = Array.from({ length: back + 1 }, (_, i) => shiftDay(today, -i)).filter(
      (d) => d >= body.fromDay,
    );
    const { rows: closed } = await pool.query<{ day: string }>(
      `SELECT day::text AS day FROM feed_days WHERE feed_id = $1 AND final_as_of IS NOT NULL AND day = ANY ($2::date[])`,
      [row.id, days],
    );
    const isClosed = new Set(closed.map((c) => c.day));
    await queueDays(pool, row, days.filter((d) => !isClosed.has(d)).sort());
    await pool.query('UPDATE feeds SET next_at = $2 WHERE id = $1 AND next_at = $3', [
      row.id,
      new Date(nowMs + body.everyMinutes * 60_000),
      row.next_at,
    ]);
  }
}
