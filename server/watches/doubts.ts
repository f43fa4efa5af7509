/** What keeps a watch from looking, or from acting by itself: figures that are behind, and money that may be missing. */
import type { Pool } from 'pg';
import { ulidAt } from '../db/pooledUlid.ts';
import { feedsBehind } from '../reports/feedsBehind.ts';

/** The index takes in what happened within seconds. */
const BEHIND_MS = 60_000;
const REPAIR_PERCENT = 10;
/** Fewer say nothing about a share. */
const LEAST_REPAIRS = 5;
const DAY_MS = 86_400_000;

/** `toMs`: the end of what is looked at. Empty: everything until then has been counted. */
export async function behindWords(
  pool: Pool,
  deskId: string,
  { fedMs, toMs, waiting }: { fedMs: number; toMs: number; waiting: number },
): Promise<string> {
  if (fedMs < toMs - BEHIND_MS) return 'The numbers do not have the newest visits yet.';
  if (waiting > 0) return 'Visits wait on disk for the database.';
  const { rows } = await pool.query<{ is: boolean }>(
    `SELECT EXISTS (SELECT 1 FROM outcomes WHERE desk_id = $1 AND outcome = 'queued' AND receipt_id < $2) AS is`,
    [deskId, ulidAt(Math.max(0, toMs - BEHIND_MS))],
  );
  return rows[0]!.is ? 'Postbacks wait to be processed.' : '';
}

/** A sentence; empty: what was earned is most likely known. */
export async function doubtWords(pool: Pool, deskId: string, nowMs: number): Promise<string> {
  const feed = (await feedsBehind(pool, deskId, nowMs)).find((a) =>
    ['feed_late', 'feed_failed', 'feed_waiting'].includes(a.code),
  );
  if (feed) return feed.sentence;
  const since = ulidAt(nowMs - DAY_MS);
  const { rows } = await pool.query<{ repair: number; all: number }>(
    `SELECT (SELECT count(*)::int FROM outcomes WHERE desk_id = $1 AND outcome = 'repair' AND receipt_id > $2) AS repair,
       (SELECT count(*)::int FROM outcomes WHERE desk_id = $1 AND receipt_id > $2) AS all`,
    [deskId, since],
  );
  const { repair, all } = rows[0]!;
  return repair >= LEAST_REPAIRS && repair * 100 > all * REPAIR_PERCENT
    ? `${repair} of ${all} postbacks of the last 24 hours need repair.`
    : '';
}
