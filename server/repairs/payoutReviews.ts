/**
 * Decisions on what partners get: by a member, by a watch that holds them for review, and by the day on which a payout that
 * waits is approved. The revenue stays as it is.
 */
import type { z } from 'zod';
import type { ManyAnswer, PayoutDecision, reviewPayouts } from '@tracheon/core/contract';
import type { PartnerSide } from '@tracheon/core/conversions';
import { clickIdDay } from '@tracheon/core/identity';
import type { Reads } from '../db/pools.ts';
import { insertReceiptRows } from '../events/commitRows.ts';
import { ABOUT, PARTNER_SIDE } from '../intake/readReceipt.ts';
import { loadReceipt } from '../intake/sweeper.ts';
import type { Editor } from '../parts/partRecords.ts';
import {
  handReceipt,
  keepAndJudge,
  loadChanged,
  openBatch,
  writeAbout,
  type HandGround,
} from './handReceipts.ts';

/** What partners get for these conversions; the revenue stays as it is. */
export function reviewPayoutsByHand(
  ground: HandGround,
  by: Editor,
  review: z.output<typeof reviewPayouts>,
): Promise<ManyAnswer & { batchId: string }> {
  const words = `${decisionWords[review.decision]}: ${review.reason}`;
  const side: PartnerSide = 'review';
  return writeAbout(ground, by, { ...review, words, headers: { [PARTNER_SIDE]: side } }, () => ({
    status: review.decision,
  }));
}
const decisionWords: Record<PayoutDecision, string> = {
  approved: 'Approved partner payouts',
  rejected: 'Rejected partner payouts',
  pending: 'Put partner payouts on hold',
};

export interface DueGround extends HandGround {
  onTrouble: (conversionId: string, error: unknown) => void;
}

/**
 * The day has come on which payouts that wait are approved. One that can't be processed must not keep those behind it waiting.
 * Returns the desks whose conversions have changed.
 */
export async function approveDuePayouts(ground: DueGround): Promise<Set<string>> {
  const changed = new Set<string>();
  const eachDue = async (run: (due: Due) => Promise<void>): Promise<void> => {
    const { rows } = await ground.pool.query<Due>(
      `SELECT desk_id AS "deskId", id, partner_due_at AS at FROM conversions WHERE partner_due_at <= $1
       ORDER BY partner_due_at LIMIT ${MOST_DUE}`,
      [new Date(ground.now())],
    );
    for (const due of rows)
      await run(due).then(
        () => changed.add(due.deskId),
        (error: unknown) => ground.onTrouble(due.id, error),
      );
  };
  // What another partner brought meanwhile, or nobody, is seen when it is processed again.
  await eachDue((due) => processAgain(ground, due));
  await eachDue((due) => approve(ground, due));
  return changed;
}
interface Due {
  deskId: string;
  id: string;
  at: Date;
}

async function processAgain(ground: HandGround, { deskId, id }: Due): Promise<void> {
  const [row] = await loadChanged(ground.pool, deskId, [id]);
  const first = row?.firstReceipt ?? null;
  const receipt = first && (await loadReceipt(ground.pool, deskId, first, clickIdDay(first)));
  if (receipt) await ground.judge(receipt);
}

async function approve(ground: HandGround, { deskId, id, at }: Due): Promise<void> {
  const [row] = await loadChanged(ground.pool, deskId, [id]);
  if (!row || row.firstReceipt === null) return;
  const side: PartnerSide = 'due';
  const receipt = handReceipt({ deskId, memberId: '' }, row, {
    at: ground.now(),
    batchId: '',
    reason: 'The payout has waited as long as the offer says.',
    fields: { status: 'approved', changed_time: at.toISOString() },
  });
  const headers = { ...receipt.headers, [ABOUT]: row.firstReceipt, [PARTNER_SIDE]: side };
  await keepAndJudge(ground, { ...receipt, headers });
}
/** Of one minute. */
const MOST_DUE = 2000;

/** Of one finding. */
const MOST_HELD = 5000;

/**
 * Puts a partner's payouts on hold until a member decides, within a transaction of the caller's: those of visits since then
 * that could be approved and are on no statement. They are processed within seconds of its commit. Returns the batch, by which
 * all of it is undone; null when there is nothing to hold.
 */
export async function holdPayouts(
  client: Reads,
  by: Editor,
  of: { partnerId: string; sinceMs: number; reason: string; nowMs: number },
): Promise<string | null> {
  const { rows } = await client.query<{ id: string }>(
    `SELECT id FROM conversions c WHERE desk_id = $1 AND brought_by = $2 AND visit_at >= $3 AND NOT is_test
       AND partner_status IN ('pending', 'approved')
       AND NOT EXISTS (SELECT 1 FROM billing_entries b JOIN billing_statements s ON s.id = b.statement_id
         WHERE b.conversion_id = c.id AND s.side = 'partner') ORDER BY id DESC LIMIT ${MOST_HELD}`,
    [by.deskId, of.partnerId, new Date(of.sinceMs)],
  );
  const changed = await loadChanged(
    client,
    by.deskId,
    rows.map((r) => r.id),
  );
  const held = changed.filter((c) => c.firstReceipt !== null);
  if (held.length === 0) return null;
  const reason = of.reason.slice(0, 200);
  const batchId = await openBatch(client, by, '', `${decisionWords.pending}: ${reason}`, held.length);
  const side: PartnerSide = 'review';
  const fields = { status: 'pending', changed_time: new Date(of.nowMs).toISOString() };
  await insertReceiptRows(
    client,
    held.map((row) => {
      const receipt = handReceipt(by, row, { at: of.nowMs, batchId, reason, fields });
      return {
        ...receipt,
        headers: { ...receipt.headers, [ABOUT]: row.firstReceipt!, [PARTNER_SIDE]: side },
      };
    }),
  );
  return batchId;
}
