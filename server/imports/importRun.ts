/**
 * Rows of a file become receipts, some at a time, each with its rows in one transaction: a run that dies goes on after the
 * last of them. A row that was imported before, by this or an earlier file that stands, becomes none.
 */
import { createHash } from 'node:crypto';
import type { Pool } from 'pg';
import { monotonicFactory } from 'ulid';
import { rowAsQuery } from '@tracheon/core/conversions';
import { inEventTransaction, type Reads } from '../db/pools.ts';
import { insertReceiptRows } from '../events/commitRows.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import type { BatchRow } from '../repairs/batches.ts';
import type { NextReceipts } from '../repairs/batchRuns.ts';
import type { FileSettings } from './importStore.ts';

/** Rows of one moment stay in the order of the file. */
const newId = monotonicFactory();

export interface FileRow {
  n: number;
  cells: string[];
  receipt_id: string;
}
export async function nextFileRows(pool: Pool, batch: BatchRow, most: number): Promise<NextReceipts> {
  const { rows } = await pool.query<FileRow>(
    `SELECT n, cells, receipt_id FROM import_rows WHERE batch_id = $1 AND n > $2 ORDER BY n LIMIT $3`,
    [batch.id, Number(batch.cursor || 0), most],
  );
  const last = rows.at(-1)?.n ?? Number(batch.cursor || 0);
  const receipts = await keepReceipts(pool, batch, rows);
  return { receipts, cursor: String(last), handled: rows.length, isOver: rows.length < most };
}

/** Its receipt, and by what the same row is known again. */
export function fileReceipt(
  batch: Pick<BatchRow, 'id' | 'desk_id' | 'network_id' | 'settings'>,
  row: Pick<FileRow, 'n' | 'cells' | 'receipt_id'>,
  nowMs: number,
): { receipt: ReceiptRecord; hash: string } {
  const query = rowAsQuery(row.cells, batch.settings as FileSettings);
  const hash = createHash('sha256').update(`${batch.network_id}|${query}`).digest('base64url').slice(0, 27);
  const receipt: ReceiptRecord = {
    deskId: batch.desk_id,
    id: row.receipt_id || newId(nowMs),
    receivedMs: nowMs,
    networkId: batch.network_id,
    method: 'FILE',
    path: '',
    query,
    body: '',
    contentType: '',
    headers: {},
    addressPrefix: '',
    held: false,
    channel: 'file',
    batchId: batch.id,
  };
  return { receipt, hash };
}

/** Receipts of rows that are new. Those of a step that was cut off are there already, and are only judged again. */
async function keepReceipts(pool: Pool, batch: BatchRow, rows: readonly FileRow[]): Promise<ReceiptRecord[]> {
  if (rows.length === 0) return [];
  const nowMs = Date.now();
  const made = rows.map((row) => ({ ...fileReceipt(batch, row, nowMs), row }));
  return inEventTransaction(pool, async (client) => {
    const isNew = await newOnes(client, batch, made, rows[0]!.n - 1);
    const fresh = made.filter((m, i) => isNew[i] && m.row.receipt_id === '');
    await insertReceiptRows(
      client,
      fresh.map((m) => m.receipt),
    );
    await client.query(
      `UPDATE import_rows r SET hash = k.hash, receipt_id = CASE WHEN r.receipt_id = '' THEN k.receipt ELSE r.receipt_id END
       FROM unnest($2::int[], $3::text[], $4::text[]) AS k (n, hash, receipt) WHERE r.batch_id = $1 AND r.n = k.n`,
      [
        batch.id,
        made.map((m) => m.row.n),
        made.map((m) => m.hash),
        made.map((m, i) => (isNew[i] ? m.receipt.id : '')),
      ],
    );
    return made.filter((_, i) => isNew[i]).map((m) => m.receipt);
  });
}

/**
 * Where a file has the same row several times, as many of them are known as were imported by other files: the first ones.
 * `before`: rows up to it have been looked at.
 */
export async function newOnes(
  client: Reads,
  batch: Pick<BatchRow, 'id' | 'desk_id'>,
  made: readonly { hash: string }[],
  before: number,
): Promise<boolean[]> {
  const hashes = [...new Set(made.map((m) => m.hash))];
  const count = async (sql: string, values: unknown[]): Promise<Map<string, number>> => {
    const { rows } = await client.query<{ hash: string; count: number }>(sql, values);
    return new Map(rows.map((r) => [r.hash, r.count]));
  };
  const elsewhere = await count(
    `SELECT r.hash, count(*)::int AS count FROM import_rows r JOIN receipt_batches b ON b.id = r.batch_id
     WHERE r.desk_id = $1 AND r.hash = ANY ($2) AND r.receipt_id <> '' AND r.batch_id <> $3 AND b.state <> 'undone' GROUP BY 1`,
    [batch.desk_id, hashes, batch.id],
  );
  if (elsewhere.size === 0) return made.map(() => true);
  const here = await count(
    'SELECT hash, count(*)::int AS count FROM import_rows WHERE batch_id = $1 AND n <= $2 AND hash = ANY ($3) GROUP BY 1',
    [batch.id, before, hashes],
  );
  return made.map(({ hash }) => {
    const nth = here.get(hash) ?? 0;
    here.set(hash, nth + 1);
    return nth >= (elsewhere.get(hash) ?? 0);
  });
}
