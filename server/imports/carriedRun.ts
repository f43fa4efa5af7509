/**
 * Click IDs of an earlier tracker, carried over some rows at a time; then the postbacks that had come for them already are
 * processed again. A step that is done twice changes nothing. Undone, the click IDs go, and so does what they booked.
 */
import type { Pool } from 'pg';
import { MAX_TRIED_ROWS, type CarriedSettings, type CarriedTrial } from '@tracheon/core/contract';
import { readCarriedRow, type CarriedClick, type CarriedGround } from '@tracheon/core/conversions';
import { inPipeline, type Reads } from '../db/pools.ts';
import { judgeTogether } from '../intake/judge.ts';
import { judgeWithin, unread } from '../intake/judgeWithin.ts';
import { carriedOwner } from '../intake/otherOwners.ts';
import { loadReceipts } from '../intake/sweeper.ts';
import { Problem } from '../problems/problem.ts';
import { oneBatch, type BatchRow } from '../repairs/batches.ts';
import type { StepDone } from '../repairs/batchRuns.ts';
import { draft, type FileSettings } from './importStore.ts';

const ROWS_AT_ONCE = 500;
const RECEIPTS_AT_ONCE = 200;
/** Click IDs that are taken back at once, and with them everything that they booked. */
const TAKEN_BACK_AT_ONCE = 100;
const MAX_PROBLEM_ROWS = 10_000;
const SHOWN_PROBLEMS = 50;
/** Before it: rows of the file. After it: receipts. */
const OF_RECEIPTS = 'receipts ';

interface Row {
  n: number;
  cells: string[];
}
export interface CarryDeps {
  pool: Pool;
  /** Opened with `pipeline`. */
  judging: Pool;
}

export async function carryNext(deps: CarryDeps, batch: BatchRow): Promise<StepDone> {
  if (batch.state === 'undoing') return takeBack(deps, batch);
  if (batch.cursor.startsWith(OF_RECEIPTS)) return processWaiting(deps, batch);
  const rows = await rowsAfter(deps.pool, batch.id, Number(batch.cursor || 0), ROWS_AT_ONCE);
  const ground = await groundOf(deps.pool, batch.desk_id);
  const clicks = rows.flatMap(({ cells }) => {
    const read = readCarriedRow(cells, batch.settings as CarriedSettings, ground);
    return read.ok ? [read.click] : [];
  });
  await keepClicks(deps.pool, batch, clicks);
  const isLast = rows.length < ROWS_AT_ONCE;
  return {
    cursor: isLast ? OF_RECEIPTS : String(rows.at(-1)!.n),
    handled: rows.length,
    isOver: false,
  };
}

async function rowsAfter(pool: Pool, batchId: string, n: number, limit: number): Promise<Row[]> {
  const { rows } = await pool.query<Row>(
    'SELECT n, cells FROM import_rows WHERE batch_id = $1 AND n > $2 ORDER BY n LIMIT $3',
    [batchId, n, limit],
  );
  return rows;
}

/** One that is there already stays as it was carried over first: conversions may rest on it. */
async function keepClicks(pool: Pool, batch: BatchRow, clicks: readonly CarriedClick[]): Promise<void> {
  if (clicks.length === 0) return;
  await pool.query(
    `INSERT INTO carried_clicks (desk_id, foreign_id, visit_at, campaign_id, source_id, offer_id, source_click_id, country, subs, batch_id)
     SELECT $1::text, r.*, $3::text FROM json_to_recordset($2::json) AS r ("foreignId" text, "visitAt" timestamptz, "campaignId" text,
       "sourceId" text, "offerId" text, "sourceClickId" text, country text, subs jsonb)
     ON CONFLICT (desk_id, foreign_id) DO NOTHING`,
    [
      batch.desk_id,
      JSON.stringify(clicks.map((c) => ({ ...c, visitAt: new Date(c.visitAt).toISOString() }))),
      batch.id,
    ],
  );
}

async function processWaiting({ pool, judging }: CarryDeps, batch: BatchRow): Promise<StepDone> {
  const after = batch.cursor.slice(OF_RECEIPTS.length);
  const { rows } = await pool.query<{ id: string }>(
    `SELECT o.receipt_id AS id FROM carried_clicks c
     JOIN outcomes o ON o.desk_id = c.desk_id AND o.reason = 'unknown_click' AND o.detail = c.foreign_id
     WHERE c.batch_id = $1 AND o.receipt_id > $2 ORDER BY o.receipt_id LIMIT ${RECEIPTS_AT_ONCE}`,
    [batch.id, after],
  );
  const receipts = await loadReceipts(
    pool,
    rows.map(({ id }) => ({ deskId: batch.desk_id, id })),
  );
  if (receipts.length > 0) await judgeTogether(judging, receipts);
  return {
    cursor: `${OF_RECEIPTS}${rows.at(-1)?.id ?? after}`,
    handled: 0,
    isOver: rows.length < RECEIPTS_AT_ONCE,
  };
}

async function takeBack({ pool, judging }: CarryDeps, batch: BatchRow): Promise<StepDone> {
  const { rows } = await pool.query<{ id: string }>(
    `SELECT foreign_id AS id FROM carried_clicks WHERE batch_id = $1 ORDER BY foreign_id LIMIT ${TAKEN_BACK_AT_ONCE}`,
    [batch.id],
  );
  const ids = rows.map((r) => r.id);
  const owned = await pool.query<{ id: string }>(
    `SELECT receipt_id AS id FROM outcomes WHERE desk_id = $1 AND owner = ANY ($2) AND owner <> '' ORDER BY receipt_id`,
    [batch.desk_id, ids.map(carriedOwner)],
  );
  const receipts = await loadReceipts(
    pool,
    owned.rows.map(({ id }) => ({ deskId: batch.desk_id, id })),
  );
  await inPipeline(judging, async (client) => {
    if (receipts.length > 0) await unread(client, receipts, 'queued');
    await client.query('DELETE FROM carried_clicks WHERE batch_id = $1 AND foreign_id = ANY ($2)', [
      batch.id,
      ids,
    ]);
    if (receipts.length > 0) await judgeWithin(client, receipts);
  });
  return { cursor: '', handled: ids.length, isOver: ids.length < TAKEN_BACK_AT_ONCE };
}

/** Campaigns and offers of the desk, archived ones too, as a row may name them. */
async function groundOf(client: Reads, deskId: string): Promise<CarriedGround> {
  const { rows } = await client.query<{
    id: string;
    kind: string;
    key: string;
    name: string;
    source: string | null;
    foreign: string | null;
  }>(
    `SELECT id, kind, coalesce(key, '') AS key, name, body->>'sourceId' AS source, body->>'idAtNetwork' AS foreign FROM parts
     WHERE desk_id = $1 AND kind IN ('campaign', 'offer') ORDER BY state = 'live', id DESC`,
    [deskId],
  );
  const word = (text: string): string => text.trim().toLowerCase();
  // Of several with one name the live one, and of these the oldest, is meant.
  const campaigns = new Map<string, { id: string; sourceId: string }>();
  const offers = new Map<string, string>();
  for (const r of rows)
    for (const name of [r.foreign ?? '', r.name, r.key, r.id].map(word).filter(Boolean)) {
      if (r.kind === 'campaign') campaigns.set(name, { id: r.id, sourceId: r.source ?? '' });
      else offers.set(name, r.id);
    }
  return {
    campaignOf: (text) => campaigns.get(word(text)),
    offerOf: (text) => offers.get(word(text)),
    now: Date.now(),
  };
}

/** An upload becomes a run when it is started; until then it is a draft like any other. */
export async function startCarryOver(
  pool: Pool,
  deskId: string,
  id: string,
  settings: CarriedSettings,
): Promise<void> {
  const { rowCount } = await pool.query(
    `UPDATE receipt_batches SET kind = 'carried', network_id = '', settings = settings || $3::jsonb, state = 'running',
       words = 'Click IDs from ' || (settings->>'fileName'), changed_at = now()
     WHERE desk_id = $1 AND id = $2 AND kind = 'file' AND state = 'draft'`,
    [deskId, id, JSON.stringify(settings)],
  );
  if (rowCount === 1) return;
  // Which of the two it is, the question tells.
  await oneBatch(pool, deskId, id);
  throw new Problem('not_a_draft');
}

export async function tryCarryOver(
  pool: Pool,
  deskId: string,
  id: string,
  settings: CarriedSettings,
): Promise<CarriedTrial> {
  const batch = await draft(pool, deskId, id);
  if (batch.state !== 'draft') throw new Problem('not_a_draft');
  const [rows, ground] = await Promise.all([rowsAfter(pool, id, 0, MAX_TRIED_ROWS), groundOf(pool, deskId)]);
  const read = rows.map((row) => ({ ...row, read: readCarriedRow(row.cells, settings, ground) }));
  const clicks = read.flatMap(({ read: r }) => (r.ok ? [r.click] : []));
  const { rows: there } = await pool.query<{ id: string }>(
    'SELECT foreign_id AS id FROM carried_clicks WHERE desk_id = $1 AND foreign_id = ANY ($2)',
    [deskId, clicks.map((c) => c.foreignId)],
  );
  const known = new Set(there.map((r) => r.id));
  return {
    tried: rows.length,
    ready: clicks.filter((c) => !known.has(c.foreignId)).length,
    known: clicks.filter((c) => known.has(c.foreignId)).length,
    problems: problemsIn(read).slice(0, SHOWN_PROBLEMS),
  };
}

const problemsIn = (
  rows: readonly (Row & { read: ReturnType<typeof readCarriedRow> })[],
): CarriedTrial['problems'] =>
  rows.flatMap(({ n, cells, read }) => (read.ok ? [] : [{ n, cells, why: read.why }]));

/** Read once more as they were told to be read: a row is the same for good, but a campaign may have come since. */
export async function notCarried(pool: Pool, deskId: string, id: string) {
  const batch = await oneBatch(pool, deskId, id);
  const { rows: stored } = await pool.query<{ settings: FileSettings & CarriedSettings }>(
    `SELECT settings FROM receipt_batches WHERE desk_id = $1 AND id = $2 AND kind = 'carried'`,
    [deskId, batch.id],
  );
  if (!stored[0]) throw new Problem('not_found');
  const { settings } = stored[0];
  const ground = await groundOf(pool, deskId);
  const problems: CarriedTrial['problems'] = [];
  let last = 0;
  for (;;) {
    const rows = await rowsAfter(pool, id, last, ROWS_AT_ONCE);
    problems.push(
      ...problemsIn(rows.map((row) => ({ ...row, read: readCarriedRow(row.cells, settings, ground) }))),
    );
    if (rows.length < ROWS_AT_ONCE || problems.length >= MAX_PROBLEM_ROWS) break;
    last = rows.at(-1)!.n;
  }
  return { header: settings.header, rows: problems.slice(0, MAX_PROBLEM_ROWS) };
}
