/** Watches and their findings as they are kept, and as the API tells them. */
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import {
  MAX_WATCHES,
  watchInput,
  type WatchFinding,
  type WatchInput,
  type WatchRecord,
  type WatchRun,
} from '@tracheon/core/contract';
import { unknownRequestTokens } from '@tracheon/core/watches';
import type { PairingChange } from '@tracheon/core/routing';
import type { Reads } from '../db/pools.ts';
import { Problem } from '../problems/problem.ts';

export interface WatchRow {
  id: string;
  desk_id: string;
  body: WatchInput;
  next_at: Date | null;
  waits: string;
  changed_by: string;
  version: number;
  updated_at: Date;
}
const asWatch = (row: WatchRow): WatchRow => ({ ...row, body: watchInput.parse(row.body) });

export async function oneWatch(db: Reads, deskId: string, id: string): Promise<WatchRow> {
  const { rows } = await db.query<WatchRow>('SELECT * FROM watches WHERE desk_id = $1 AND id = $2', [
    deskId,
    id,
  ]);
  if (!rows[0]) throw new Problem('not_found');
  return asWatch(rows[0]);
}

/** Of all desks. */
export async function dueWatches(db: Reads, nowMs: number): Promise<WatchRow[]> {
  const { rows } = await db.query<WatchRow>(
    'SELECT * FROM watches WHERE next_at <= $1 ORDER BY desk_id, id',
    [new Date(nowMs)],
  );
  return rows.map(asWatch);
}

const UNIQUE_VIOLATION = '23505';
/** A watch that is switched on looks at once. `was`: the one that is changed, by the version that the member saw. */
export async function saveWatch(
  pool: Pool,
  by: { deskId: string; memberId: string },
  was: { id: string; version: number } | null,
  body: WatchInput,
): Promise<string> {
  const watchId = was?.id ?? ulid();
  const nextAt = body.isOn ? new Date() : null;
  await checkParts(pool, by.deskId, body);
  if (was === null) await refuseTooMany(pool, by.deskId);
  const before = was && (await oneWatch(pool, by.deskId, was.id));
  try {
    const { rowCount } = await pool.query(
      was === null
        ? `INSERT INTO watches (id, desk_id, body, next_at, changed_by) VALUES ($1, $2, $3, $4, $5)`
        : `UPDATE watches SET body = $3, next_at = $4, waits = '', changed_by = $5, version = version + 1, updated_at = now()
           WHERE id = $1 AND desk_id = $2 AND version = $6`,
      [watchId, by.deskId, JSON.stringify(body), nextAt, by.memberId, ...(was ? [was.version] : [])],
    );
    if (rowCount === 0) throw await changedMeanwhile(pool, by.deskId, watchId);
    if (before && isOtherQuestion(before.body, body)) await endFindings(pool, watchId);
  } catch (error) {
    if ((error as { code?: string }).code !== UNIQUE_VIOLATION) throw error;
    throw new Problem('invalid_input', {
      fields: [{ path: 'name', message: 'Another watch has this name. Choose another one.' }],
    });
  }
  return watchId;
}

async function changedMeanwhile(pool: Pool, deskId: string, id: string): Promise<Problem> {
  const { version, updated_at, body } = await oneWatch(pool, deskId, id);
  return new Problem('changed_meanwhile', {
    current: { version, updatedAt: updated_at.toISOString(), body },
  });
}

/** What it found under another subject, source or act is nothing to decide on any more; what was done can still be undone. */
const isOtherQuestion = (a: WatchInput, b: WatchInput): boolean =>
  a.subject !== b.subject || a.sourceId !== b.sourceId || a.act !== b.act;
const endFindings = (pool: Pool, watchId: string): Promise<unknown> =>
  pool.query('UPDATE watch_findings SET ended_at = now() WHERE watch_id = $1 AND ended_at IS NULL', [
    watchId,
  ]);

async function refuseTooMany(pool: Pool, deskId: string): Promise<void> {
  const { rows } = await pool.query<{ n: number }>(
    'SELECT count(*)::int AS n FROM watches WHERE desk_id = $1',
    [deskId],
  );
  if (rows[0]!.n >= MAX_WATCHES)
    throw new Problem('invalid_input', {
      fields: [{ path: 'name', message: `A desk has at most ${MAX_WATCHES} watches. Delete one first.` }],
    });
}

async function checkParts(
  pool: Pool,
  deskId: string,
  { sourceId, campaignId, act, request }: WatchInput,
): Promise<void> {
  const unknown = act === 'request' ? unknownRequestTokens(request) : [];
  if (unknown.length > 0)
    throw new Problem('invalid_input', {
      fields: [{ path: 'request.url', message: `There is no token {${unknown[0]}} here.` }],
    });
  const wanted = [
    { path: 'sourceId', id: sourceId, kind: 'source' },
    { path: 'campaignId', id: campaignId, kind: 'campaign' },
  ].filter((w) => w.id !== '');
  const { rows } = await pool.query<{ id: string; kind: string }>(
    'SELECT id, kind FROM parts WHERE desk_id = $1 AND id = ANY ($2)',
    [deskId, wanted.map((w) => w.id)],
  );
  const missing = wanted.filter((w) => !rows.some((r) => r.id === w.id && r.kind === w.kind));
  if (missing.length > 0)
    throw new Problem('invalid_input', {
      fields: missing.map(({ path, kind }) => ({
        path,
        message: `There is no such ${kind}. Choose another one.`,
      })),
    });
}

export async function removeWatch(pool: Pool, deskId: string, id: string): Promise<void> {
  const { rowCount } = await pool.query('DELETE FROM watches WHERE desk_id = $1 AND id = $2', [deskId, id]);
  if (rowCount === 0) throw new Problem('not_found');
}

interface RunRow {
  id: string;
  at: Date;
  from_at: Date;
  to_at: Date;
  rows: number;
  matched: number;
  found: number;
  acted: number;
  note: string;
}
const asRun = ({ at, from_at, to_at, ...r }: RunRow): WatchRun => ({
  id: r.id,
  at: at.toISOString(),
  from: from_at.toISOString(),
  to: to_at.toISOString(),
  rows: r.rows,
  matched: r.matched,
  found: r.found,
  acted: r.acted,
  note: r.note,
});

export async function listWatches(pool: Pool, deskId: string, id = ''): Promise<WatchRecord[]> {
  const { rows } = await pool.query<WatchRow & { open: number; asked: number; last: object | null }>(
    `SELECT w.*, f.open, f.asked FROM watches w
     CROSS JOIN LATERAL (SELECT count(*)::int AS open, (count(*) FILTER (WHERE state = 'asked'))::int AS asked
       FROM watch_findings WHERE watch_id = w.id AND ended_at IS NULL) f
     WHERE w.desk_id = $1 AND ($2 = '' OR w.id = $2) ORDER BY lower(w.body->>'name')`,
    [deskId, id],
  );
  const { rows: runs } = await pool.query<RunRow & { watch_id: string }>(
    `SELECT r.* FROM unnest($1::text[]) AS w (id)
     CROSS JOIN LATERAL (SELECT * FROM watch_runs WHERE watch_id = w.id ORDER BY id DESC LIMIT 1) r`,
    [rows.map((r) => r.id)],
  );
  const last = new Map(runs.map((r) => [r.watch_id, asRun(r)]));
  return rows.map((row) => ({
    id: row.id,
    version: row.version,
    updatedAt: row.updated_at.toISOString(),
    body: watchInput.parse(row.body),
    lastRun: last.get(row.id) ?? null,
    nextAt: row.next_at?.toISOString() ?? null,
    open: row.open,
    asked: row.asked,
    waits: row.waits,
  }));
}

export interface FindingRow {
  id: string;
  desk_id: string;
  watch_id: string;
  watch_name: string;
  act: WatchFinding['act'];
  value: string;
  name: string;
  seen: WatchFinding['seen'];
  spent_micros: string;
  state: WatchFinding['state'];
  why: string;
  did: Did | null;
  found_at: Date;
  acted_at: Date | null;
  ended_at: Date | null;
  decided_by_name: string;
}
/** What was done, so that it can be undone as long as nobody has changed it since. */
export type Did =
  | { campaignId: string; version: number; state?: 'live' | 'paused' }
  | { offerId: string; from: 'live' | 'paused'; to: 'live' | 'paused' }
  | { campaignId: string; pairings: { before: PairingChange; after: PairingChange }[] }
  | { entryId: string }
  /** Of receipts, undone as one. */
  | { batchId: string }
  | { sendId: string };
export const FINDING = `f.*, w.body->>'name' AS watch_name,
  coalesce((SELECT name FROM members WHERE id = f.decided_by), '') AS decided_by_name`;
export const asFinding = (r: FindingRow): WatchFinding => ({
  id: r.id,
  watchId: r.watch_id,
  watchName: r.watch_name,
  act: r.act,
  value: r.value,
  name: r.name,
  seen: r.seen,
  spentMicros: r.spent_micros,
  state: r.state,
  why: r.why,
  by: r.decided_by_name,
  foundAt: r.found_at.toISOString(),
  endedAt: r.ended_at?.toISOString() ?? null,
});

const SHOWN = 200;
export async function historyOf(
  pool: Pool,
  deskId: string,
  id: string,
): Promise<{ runs: WatchRun[]; findings: WatchFinding[] }> {
  await oneWatch(pool, deskId, id);
  const [runs, findings] = await Promise.all([
    pool.query<RunRow>(`SELECT * FROM watch_runs WHERE watch_id = $1 ORDER BY id DESC LIMIT ${SHOWN}`, [id]),
    pool.query<FindingRow>(
      `SELECT ${FINDING} FROM watch_findings f JOIN watches w ON w.id = f.watch_id WHERE f.watch_id = $1
       ORDER BY f.id DESC LIMIT ${SHOWN}`,
      [id],
    ),
  ]);
  return { runs: runs.rows.map(asRun), findings: findings.rows.map(asFinding) };
}

/** The costliest first. */
export async function findingsToDecide(pool: Pool, deskId: string): Promise<WatchFinding[]> {
  const { rows } = await pool.query<FindingRow>(
    `SELECT ${FINDING} FROM watch_findings f JOIN watches w ON w.id = f.watch_id
     WHERE f.desk_id = $1 AND f.state = 'asked' AND f.ended_at IS NULL ORDER BY f.spent_micros DESC LIMIT ${SHOWN}`,
    [deskId],
  );
  return rows.map(asFinding);
}

const KEEP_DAYS = 90;
/** What nobody looks at any more. Findings whose conditions still hold stay. */
export async function dropOldHistory(pool: Pool, nowMs: number): Promise<void> {
  const before = new Date(nowMs - KEEP_DAYS * 86_400_000);
  await pool.query('DELETE FROM watch_runs WHERE at < $1', [before]);
  await pool.query('DELETE FROM watch_findings WHERE ended_at < $1', [before]);
}
