/**
 * Judgement of receipts, each batch in one transaction that writes outcomes, conversions, ledger and outbox together. Two
 * batches at once give what the same batches give one after the other, since both lock the owners that they fold.
 */
import type { Pool } from 'pg';
import { inPipeline } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import { judgeWithin, type JudgeOptions } from './judgeWithin.ts';
import { distinct, type Judgement } from './outcomes.ts';
import { loadReceipts } from './sweeper.ts';

export type { Judgement } from './outcomes.ts';

/** What the server judges with. */
export interface Judges {
  judge: (receipt: ReceiptRecord, options?: JudgeOptions) => Promise<Judgement>;
}

/** `pool` is one opened with `pipeline`. */
export const judge = async (
  pool: Pool,
  receipt: ReceiptRecord,
  options: JudgeOptions = {},
): Promise<Judgement> => (await judgeTogether(pool, [receipt], options))[0]!;

/** In the order in which they were given. None of them is judged when one of them can't be. */
export async function judgeTogether(
  pool: Pool,
  receipts: readonly ReceiptRecord[],
  options: JudgeOptions = {},
): Promise<Judgement[]> {
  const said = await inPipeline(pool, (client) => {
    if (options.commitsLater) client.write('SET LOCAL synchronous_commit = off', []);
    return judgeWithin(client, receipts, options);
  });
  // Also a later postback may be the first to tell the conversion's transaction.
  const conversions = said.map((s, i) => ({ deskId: receipts[i]!.deskId, id: s.conversionId }));
  await judgeThoseThatWaited(
    pool,
    conversions.filter((c) => c.id !== ''),
  );
  return said;
}

/** At most so many at once; the rest are found when a member reprocesses them. */
const MAX_WAITED = 20;

/**
 * Receipts that named only a transaction, and came before the conversion that has it: their time has come. They are judged
 * after the conversion's own transaction, in their order; none of them books a transaction that is new.
 */
async function judgeThoseThatWaited(
  pool: Pool,
  conversions: readonly { deskId: string; id: string }[],
): Promise<void> {
  if (conversions.length === 0) return;
  const { rows } = await pool.query<{ deskId: string; id: string }>(
    `SELECT o.desk_id AS "deskId", o.receipt_id AS id
     FROM conversions c JOIN outcomes o ON o.desk_id = c.desk_id AND o.network_id = c.network_id
       AND o.reason = 'unknown_transaction' AND o.detail = c.transaction
     WHERE c.desk_id = ANY ($1) AND c.id = ANY ($2) AND c.transaction <> '' ORDER BY o.receipt_id LIMIT ${MAX_WAITED}`,
    [distinct(conversions.map((c) => c.deskId)), distinct(conversions.map((c) => c.id))],
  );
  const receipts = await loadReceipts(pool, rows);
  if (receipts.length > 0) await inPipeline(pool, (client) => judgeWithin(client, receipts));
}
