/** Conversions changed and added by hand, each change as a receipt with its reason. */
import type { z } from 'zod';
import type { changeConversions, handConversion, ManyAnswer } from '@tracheon/core/contract';
import { reasonSentence } from '@tracheon/core/conversions';
import { parseClickId } from '@tracheon/core/identity';
import { formatAmount } from '@tracheon/core/money';
import type { Judgement } from '../intake/judge.ts';
import { loadVisit } from '../intake/loadVisits.ts';
import { loadReading } from '../intake/ownerContext.ts';
import type { Editor } from '../parts/partRecords.ts';
import { Problem } from '../problems/problem.ts';
import { handReceipt, keepAndJudge, openBatch, writeAbout, type HandGround } from './handReceipts.ts';

type Change = z.output<typeof changeConversions>;

export function changeByHand(
  ground: HandGround,
  by: Editor,
  change: Change,
): Promise<ManyAnswer & { batchId: string }> {
  const words = handWords(change);
  return writeAbout(ground, by, { ...change, words, headers: {} }, (row) => ({
    status: change.status || row.status,
    ...(change.payoutMicros === ''
      ? {}
      : { payout: formatAmount(BigInt(change.payoutMicros)), currency: row.currency }),
  }));
}

const handWords = ({ status, payoutMicros, reason }: Change): string =>
  [
    'Changed by hand',
    status === '' ? '' : `to ${status}`,
    payoutMicros === '' ? '' : `payout ${formatAmount(BigInt(payoutMicros))}`,
  ]
    .filter(Boolean)
    .join(' ') + `: ${reason}`;

export async function addByHand(
  ground: HandGround,
  by: Editor,
  asked: z.output<typeof handConversion>,
): Promise<{ outcome: Judgement['outcome']; sentence: string; conversionId: string; batchId: string }> {
  const clickId = parseClickId(asked.clickId);
  const visit = clickId === null ? undefined : await loadVisit(ground.pool, by.deskId, clickId);
  if (!visit || clickId === null)
    throw new Problem('invalid_input', {
      fields: [{ path: 'clickId', message: 'No visit of this desk has this click ID.' }],
    });
  if (visit.networkId === '')
    throw new Problem('invalid_input', {
      fields: [{ path: 'clickId', message: 'This visit was sent to no offer, so no network pays for it.' }],
    });
  const { types } = await loadReading(ground.pool, by.deskId, visit.networkId);
  if (!types.some((t) => t.id === asked.eventTypeId))
    throw new Problem('invalid_input', {
      fields: [{ path: 'eventTypeId', message: 'This desk has no such event type.' }],
    });
  const at = ground.now();
  const batchId = await openBatch(ground.pool, by, '', `Added by hand: ${asked.reason}`, 1);
  const fields = {
    status: asked.status,
    payout: asked.payoutMicros === '' ? '' : formatAmount(BigInt(asked.payoutMicros)),
    currency: asked.currency,
    transaction: asked.transaction,
    conversion_time: asked.conversionTime,
  };
  const about = { clickId, networkId: visit.networkId, eventTypeId: asked.eventTypeId };
  const receipt = handReceipt(by, about, { at, batchId, reason: asked.reason, fields });
  const { outcome, reason, detail, conversionId } = await keepAndJudge(ground, receipt);
  return { outcome, sentence: reasonSentence(reason, detail), conversionId, batchId };
}
