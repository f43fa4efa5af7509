/** What members do with postbacks that need repair: process them again, or set them aside with a reason. */
import type { Pool } from 'pg';
import { notDone, type ManyAnswer } from '@tracheon/core/contract';
import { reasonSentence } from '@tracheon/core/conversions';
import { clickIdDay, parseClickId } from '@tracheon/core/identity';
import type { ReceiptRecord } from '../events/rows.ts';
import type { Judgement } from '../intake/outcomes.ts';
import { loadReceipt } from '../intake/sweeper.ts';

export async function reprocess(
  pool: Pool,
  judge: (receipt: ReceiptRecord) => Promise<Judgement>,
  deskId: string,
  ids: readonly string[],
): Promise<ManyAnswer> {
  const answer: ManyAnswer = { changed: 0, unchanged: [] };
  for (const id of ids) {
    const receipt = parseClickId(id) && (await loadReceipt(pool, deskId, id, clickIdDay(id)));
    if (!receipt) {
      answer.unchanged.push({ id, why: 'This postback does not exist on this desk.' });
      continue;
    }
    const { outcome, reason, detail } = await judge(receipt);
    if (outcome === 'repair' || outcome === 'held' || outcome === 'set_aside')
      answer.unchanged.push({ id, why: reasonSentence(reason, detail) });
    else answer.changed += 1;
  }
  return answer;
}

/** Only what needs repair; what was booked of it before stays booked. */
export async function setAside(
  pool: Pool,
  deskId: string,
  ids: readonly string[],
  reason: string,
): Promise<ManyAnswer> {
  const { rows } = await pool.query<{ id: string }>(
    `UPDATE outcomes SET outcome = 'set_aside', set_aside_reason = $3
     WHERE desk_id = $1 AND receipt_id = ANY ($2) AND outcome = 'repair' RETURNING receipt_id AS id`,
    [deskId, ids, reason],
  );
  return { changed: rows.length, unchanged: notDone(ids, rows, 'This postback does not need repair.') };
}
