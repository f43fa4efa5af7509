/**
 * Changes by hand: each is a receipt that Tracheon writes itself, judged like a partner's, so that nothing edits a
 * conversion. Those of one change are a batch, and are withdrawn together.
 */
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import type { z } from 'zod';
import type { changeConversions, handConversion, ManyAnswer } from '@tracheon/core/contract';
import { reasonSentence } from '@tracheon/core/conversions';
import { parseClickId } from '@tracheon/core/identity';
import { formatAmount } from '@tracheon/core/money';
import { insertReceiptRows } from '../events/commitRows.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import type { Judges, Judgement } from '../intake/judge.ts';
import { loadVisit } from '../intake/loadVisits.ts';
import { loadReading } from '../intake/ownerContext.ts';
import { ABOUT, MEMBER, REASON } from '../intake/readReceipt.ts';
import type { Editor } from '../parts/partsStore.ts';
import { Problem } from '../problems/problem.ts';
import { makeBatch } from './batches.ts';

export interface HandGround extends Judges {
  pool: Pool;
  now: () => number;
}
type Change = z.output<typeof changeConversions>;

interface Changed {
  id: string;
  clickId: string;
  /** Of a partner's conversion, which has no click ID: by these three it is found. */
  partnerId: string;
  offerId: string;
  transaction: string;
  networkId: string;
  eventTypeId: string;
  currency: string;
  status: string;
  /** By which a change finds its conversion; null when none is left. */
  firstReceipt: string | null;
}

export async function changeByHand(
  ground: HandGround,
  by: Editor,
  change: Change,
): Promise<ManyAnswer & { batchId: string }> {
  const { pool, now } = ground;
  const { rows } = await pool.query<Changed>(
    `SELECT c.id, c.click_id AS "clickId", c.partner_id AS "partnerId", c.offer_id AS "offerId", c.transaction, c.network_id AS "networkId", c.event_type_id AS "eventTypeId", c.currency, c.status,
       (SELECT min(o.receipt_id) FROM outcomes o WHERE o.desk_id = c.desk_id AND o.owner = c.owner AND o.conversion_id = c.id
          AND o.outcome <> 'withdrawn') AS "firstReceipt"
     FROM conversions c WHERE c.desk_id = $1 AND c.id = ANY ($2)`,
    [by.deskId, change.ids],
  );
  const answer: ManyAnswer = { changed: 0, unchanged: [] };
  for (const id of change.ids)
    if (!rows.some((r) => r.id === id)) answer.unchanged.push({ id, why: 'This conversion does not exist.' });
  const words = handWords(change);
  const batchId = await openBatch(pool, by, change.batchId, words, rows.length);
  for (const row of rows) {
    const at = now();
    const fields = {
      status: change.status || row.status,
      ...(change.payoutMicros === ''
        ? {}
        : { payout: formatAmount(BigInt(change.payoutMicros)), currency: row.currency }),
      changed_time: new Date(at).toISOString(),
    };
    if (row.firstReceipt === null) {
      answer.unchanged.push({ id: row.id, why: reasonSentence('nothing_to_change') });
      continue;
    }
    const receipt = handReceipt(by, row, { at, batchId, reason: change.reason, fields });
    const { outcome, reason, detail } = await keepAndJudge(ground, {
      ...receipt,
      headers: { ...receipt.headers, [ABOUT]: row.firstReceipt },
    });
    if (outcome === 'updated') answer.changed += 1;
    else answer.unchanged.push({ id: row.id, why: reasonSentence(reason, detail) });
  }
  return { ...answer, batchId };
}

const handWords = ({ status, payoutMicros, reason }: Change): string =>
  [
    'Changed by hand',
    status === '' ? '' : `to ${status}`,
    payoutMicros === '' ? '' : `payout ${formatAmount(BigInt(payoutMicros))}`,
  ]
    .filter(Boolean)
    .join(' ') + `: ${reason}`;

/** A new one; or that of an earlier part of the same change. */
async function openBatch(
  pool: Pool,
  by: Editor,
  earlier: string,
  words: string,
  count: number,
): Promise<string> {
  if (earlier !== '') {
    const { rowCount } = await pool.query(
      `UPDATE receipt_batches SET total = total + $4, finished = finished + $4, changed_at = now()
       WHERE desk_id = $1 AND id = $2 AND kind = 'hand' AND made_by = $3 AND state = 'done'`,
      [by.deskId, earlier, by.memberId, count],
    );
    if (rowCount === 1) return earlier;
  }
  const id = ulid();
  await makeBatch(pool, {
    id,
    desk_id: by.deskId,
    kind: 'hand',
    network_id: '',
    words: words.slice(0, 300),
    settings: {},
    state: 'done',
    total: count,
    made_by: by.memberId,
  });
  await pool.query('UPDATE receipt_batches SET finished = total WHERE id = $1', [id]);
  return id;
}

type About = Pick<Changed, 'clickId' | 'networkId' | 'eventTypeId'> &
  Partial<Pick<Changed, 'partnerId' | 'offerId' | 'transaction'>>;

/** In our names and words; see inOurWords. */
function handReceipt(
  by: Editor,
  { clickId, partnerId = '', offerId = '', transaction = '', networkId, eventTypeId }: About,
  {
    at,
    batchId,
    reason,
    fields,
  }: { at: number; batchId: string; reason: string; fields: Record<string, string> },
): ReceiptRecord {
  const ofPartner = partnerId === '' ? {} : { partner_id: partnerId, offer_id: offerId, transaction };
  const query = Object.entries({ click_id: clickId, ...ofPartner, event: eventTypeId, ...fields })
    .filter(([, value]) => value !== '')
    .map(([name, value]) => `${name}=${encodeURIComponent(value)}`)
    .join('&');
  return {
    deskId: by.deskId,
    id: ulid(at),
    receivedMs: at,
    networkId,
    method: 'HAND',
    path: '',
    query,
    body: '',
    contentType: '',
    headers: { [REASON]: reason, [MEMBER]: by.memberId },
    addressPrefix: '',
    held: false,
    channel: 'hand',
    batchId,
  };
}

async function keepAndJudge({ pool, judge }: HandGround, receipt: ReceiptRecord): Promise<Judgement> {
  await insertReceiptRows(pool, [receipt]);
  return judge(receipt);
}

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
