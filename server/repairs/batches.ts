/**
 * Batches of receipts: a repair, an import, a change by hand; each is undone as one. Their rows tell how far they are; what has
 * become of the receipts is counted from the outcomes themselves, so that a run that dies counts nothing twice.
 */
import type { Pool } from 'pg';
import type { NetworkFix, NetworkInput, ReceiptBatch } from '@tracheon/core/contract';
import type { Reads } from '../db/pools.ts';
import { Problem } from '../problems/problem.ts';

export interface RepairSettings {
  fix: NetworkFix;
  /** The network as it was, and the version that the fix made; null where the fix changed nothing. */
  before: NetworkInput;
  reportSinceMs: number | null;
  /** These were held, and are held again when it is undone. */
  wereHeld: boolean;
}
export interface BatchRow {
  id: string;
  desk_id: string;
  kind: ReceiptBatch['kind'];
  network_id: string;
  words: string;
  settings: unknown;
  state: ReceiptBatch['state'];
  total: number;
  finished: number;
  cursor: string;
  problem: string;
  made_by: string;
  made_at: Date;
}

/** The receipts of a batch, in the order in which they are worked through. */
export const OF_BATCH: Record<ReceiptBatch['kind'], string> = {
  repair: 'o.repaired_by',
  file: 'o.batch_id',
  hand: 'o.batch_id',
  // Comparing makes no receipts.
  statement: 'o.batch_id',
  carried: 'o.batch_id',
};

export async function makeBatch(
  client: Reads,
  b: Pick<BatchRow, 'id' | 'desk_id' | 'kind' | 'network_id' | 'words' | 'state' | 'total' | 'made_by'> & {
    settings: object;
  },
): Promise<void> {
  await client.query(
    `INSERT INTO receipt_batches (id, desk_id, kind, network_id, words, settings, state, total, made_by)
     VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
    [b.id, b.desk_id, b.kind, b.network_id, b.words, JSON.stringify(b.settings), b.state, b.total, b.made_by],
  );
}

const MAX_LISTED = 100;

export async function listBatches(pool: Pool, deskId: string): Promise<ReceiptBatch[]> {
  const { rows } = await pool.query<BatchRow & { by: string }>(
    `SELECT b.*, coalesce(m.name, '') AS by FROM receipt_batches b LEFT JOIN members m ON m.id = b.made_by
     WHERE b.desk_id = $1 AND b.state <> 'draft' ORDER BY b.id DESC LIMIT ${MAX_LISTED}`,
    [deskId],
  );
  return Promise.all(rows.map((row) => asBatch(pool, row)));
}

export async function oneBatch(pool: Pool, deskId: string, id: string): Promise<ReceiptBatch> {
  const { rows } = await pool.query<BatchRow & { by: string }>(
    `SELECT b.*, coalesce(m.name, '') AS by FROM receipt_batches b LEFT JOIN members m ON m.id = b.made_by
     WHERE b.desk_id = $1 AND b.id = $2`,
    [deskId, id],
  );
  if (!rows[0]) throw new Problem('not_found');
  return asBatch(pool, rows[0]);
}

async function asBatch(pool: Pool, b: BatchRow & { by: string }): Promise<ReceiptBatch> {
  // A run that goes on is asked for again and again, and tells how far it is; counting it each time would slow it down.
  const isOver = b.state !== 'running' && b.state !== 'undoing';
  const counted = isOver ? await countsOf(pool, b) : { results: [], sentOn: 0 };
  return {
    id: b.id,
    kind: b.kind,
    networkId: b.network_id,
    words: b.words,
    state: b.state,
    total: b.total,
    finished: b.finished,
    ...counted,
    problem: b.problem,
    by: b.by,
    at: b.made_at.toISOString(),
  };
}

interface Count {
  outcome: string;
  count: number;
}
/** Of a file, rows that were known; of click IDs, those that are there. */
const KNOWN: Partial<Record<ReceiptBatch['kind'], string>> = {
  file: `SELECT 'known' AS outcome, count(*)::int AS count FROM import_rows
    WHERE batch_id = $1 AND hash <> '' AND receipt_id = ''`,
  carried: `SELECT 'carried' AS outcome, count(*)::int AS count FROM carried_clicks WHERE batch_id = $1`,
};

async function countsOf(pool: Pool, b: BatchRow): Promise<Pick<ReceiptBatch, 'results' | 'sentOn'>> {
  const known = KNOWN[b.kind];
  const [others, outcomes, sent] = await Promise.all([
    known === undefined ? null : pool.query<Count>(known, [b.id]),
    pool.query<Count>(
      `SELECT o.outcome, count(*)::int AS count FROM outcomes o
       WHERE o.desk_id = $1 AND ${OF_BATCH[b.kind]} = $2 AND o.outcome <> 'queued' GROUP BY 1 ORDER BY 2 DESC`,
      [b.desk_id, b.id],
    ),
    pool.query<{ count: number }>(
      `SELECT count(*)::int AS count FROM outbox x WHERE x.desk_id = $1 AND x.state = 'delivered' AND x.created_at >= $3
         AND x.conversion_id IN (SELECT l.conversion_id FROM outcomes o JOIN ledger l ON l.desk_id = o.desk_id AND l.receipt_id = o.receipt_id
           WHERE o.desk_id = $1 AND ${OF_BATCH[b.kind]} = $2)`,
      [b.desk_id, b.id, b.made_at],
    ),
  ]);
  return {
    results: [...outcomes.rows, ...(others?.rows ?? []).filter((r) => r.count > 0)],
    sentOn: sent.rows[0]!.count,
  };
}

/** Only from the states given; false when it was in none of them. */
export async function setBatchState(
  client: Reads,
  deskId: string,
  id: string,
  from: readonly ReceiptBatch['state'][],
  to: ReceiptBatch['state'],
): Promise<boolean> {
  // What is undone begins at its beginning.
  const { rowCount } = await client.query(
    `UPDATE receipt_batches SET state = $4, changed_at = now(), problem = '',
       cursor = CASE WHEN $4 = 'undoing' THEN '' ELSE cursor END
     WHERE desk_id = $1 AND id = $2 AND state = ANY ($3)`,
    [deskId, id, from, to],
  );
  return rowCount === 1;
}
