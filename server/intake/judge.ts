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
  const said = await judgedOnce(pool, receipts, options);
  // Also a later postback may be the first to tell the conversion's transaction.
  await judgeThoseThatWaited(
    pool,
    distinct(said.map((s) => s.conversionId)).filter((id) => id !== ''),
  );
  return said;
}

const MAX_TRIES = 4;

/** Where another process has judged one of them meanwhile, all of it is done again, and finds what that one said. */
async function judgedOnce(
  pool: Pool,
  receipts: readonly ReceiptRecord[],
  options: JudgeOptions,
): Promise<Judgement[]> {
  for (let tries = 1; ; tries++)
    try {
      return await inPipeline(pool, (client) => {
        if (options.commitsLater) client.write('SET LOCAL synchronous_commit = off', []);
        return judgeWithin(client, receipts, options);
      });
    } catch (error) {
      if (tries >= MAX_TRIES || !isJudgedMeanwhile(error)) throw error;
    }
}

const isJudgedMeanwhile = (error: unknown): boolean => {
  const { code, constraint } = (error ?? {}) as { code?: unknown; constraint?: unknown };
  return code === '23505' && constraint === 'outcomes_pkey';
};

/** At most so many at once; the rest are found when a member reprocesses them. */
const MAX_WAITED = 20;

/**
 * Receipts that named only a transaction, and came before the conversion that has it: their time has come. They are judged
 * after the conversion's own transaction, in their order; none of them books a transaction that is new.
 */
async function judgeThoseThatWaited(pool: Pool, conversions: readonly string[]): Promise<void> {
  if (conversions.length === 0) return;
  const { rows } = await pool.query<{ deskId: string; id: string }>(
    `SELECT c.desk_id AS "deskId", o.receipt_id AS id FROM unnest($1::text[]) AS k (id)
     CROSS JOIN LATERAL (SELECT * FROM conversions WHERE id = k.id AND transaction <> '' OFFSET 0) c
     CROSS JOIN LATERAL (SELECT receipt_id FROM outcomes WHERE desk_id = c.desk_id AND network_id = c.network_id
       AND reason = 'unknown_transaction' AND detail = c.transaction LIMIT ${MAX_WAITED}) o
     ORDER BY o.receipt_id LIMIT ${MAX_WAITED}`,
    [conversions],
  );
  const receipts = await loadReceipts(pool, rows);
  if (receipts.length > 0) await judgedOnce(pool, receipts, {});
}
