/**
 * Changes by hand: each is a receipt that Tracheon writes itself, judged like a partner's, so that nothing edits a
 * conversion. Those of one change are a batch, and are withdrawn together.
 */
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import type { z } from 'zod';
import type {
  changeConversions,
  handConversion,
  ManyAnswer,
  PayoutDecision,
  reviewPayouts,
} from '@tracheon/core/contract';
import { reasonSentence, type PartnerSide } from '@tracheon/core/conversions';
import { clickIdDay, parseClickId } from '@tracheon/core/identity';
import { formatAmount } from '@tracheon/core/money';
import { insertReceiptRows } from '../events/commitRows.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import type { Judges, Judgement } from '../intake/judge.ts';
import { loadVisit } from '../intake/loadVisits.ts';
import { loadReading } from '../intake/ownerContext.ts';
import { ABOUT, MEMBER, PARTNER_SIDE, REASON } from '../intake/readReceipt.ts';
import { loadReceipt } from '../intake/sweeper.ts';
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

/** What is changed of all of them alike. */
interface ToMany {
  ids: readonly string[];
  reason: string;
  batchId: string;
  words: string;
  headers: Record<string, string>;
}
/** A receipt about each of the conversions, in one batch. */
async function writeAbout(
  ground: HandGround,
  by: Editor,
  change: ToMany,
  fieldsOf: (row: Changed) => Record<string, string>,
): Promise<ManyAnswer & { batchId: string }> {
  const rows = await loadChanged(ground.pool, by.deskId, change.ids);
  const answer: ManyAnswer = { changed: 0, unchanged: [] };
  for (const id of change.ids)
    if (!rows.some((r) => r.id === id)) answer.unchanged.push({ id, why: 'This conversion does not exist.' });
  const batchId = await openBatch(ground.pool, by, change.batchId, change.words, rows.length);
  for (const row of rows) {
    if (row.firstReceipt === null) {
      answer.unchanged.push({ id: row.id, why: reasonSentence('nothing_to_change') });
      continue;
    }
    const at = ground.now();
    const fields = { ...fieldsOf(row), changed_time: new Date(at).toISOString() };
    const receipt = handReceipt(by, row, { at, batchId, reason: change.reason, fields });
    const headers = { ...receipt.headers, ...change.headers, [ABOUT]: row.firstReceipt };
    const { outcome, reason, detail } = await keepAndJudge(ground, { ...receipt, headers });
    if (outcome === 'updated') answer.changed += 1;
    else answer.unchanged.push({ id: row.id, why: reasonSentence(reason, detail) });
  }
  return { ...answer, batchId };
}

async function loadChanged(pool: Pool, deskId: string, ids: readonly string[]): Promise<Changed[]> {
  const { rows } = await pool.query<Changed>(
    `SELECT c.id, c.click_id AS "clickId", c.partner_id AS "partnerId", c.offer_id AS "offerId", c.transaction, c.network_id AS "networkId", c.event_type_id AS "eventTypeId", c.currency, c.status,
       (SELECT min(o.receipt_id) FROM outcomes o WHERE o.desk_id = c.desk_id AND o.owner = c.owner AND o.conversion_id = c.id
          AND o.outcome <> 'withdrawn') AS "firstReceipt"
     FROM conversions c WHERE c.desk_id = $1 AND c.id = ANY ($2)`,
    [deskId, ids],
  );
  return rows;
}

/** The day has come on which payouts that wait are approved. Returns the desks whose conversions have changed. */
export async function approveDuePayouts(ground: HandGround): Promise<Set<string>> {
  const changed = new Set<string>();
  const due = (): Promise<{ rows: { desk_id: string; id: string; due_at: Date }[] }> =>
    ground.pool.query(
      `SELECT desk_id, id, partner_due_at AS due_at FROM conversions WHERE partner_due_at <= $1
       ORDER BY partner_due_at LIMIT ${MOST_DUE}`,
      [new Date(ground.now())],
    );
  // What another partner brought meanwhile, or nobody, is seen when it is processed again.
  for (const { desk_id, id } of (await due()).rows) {
    const [row] = await loadChanged(ground.pool, desk_id, [id]);
    const first = row?.firstReceipt ?? null;
    const receipt = first && (await loadReceipt(ground.pool, desk_id, first, clickIdDay(first)));
    if (!receipt) continue;
    await ground.judge(receipt);
    changed.add(desk_id);
  }
  for (const { desk_id, id, due_at } of (await due()).rows) {
    const [row] = await loadChanged(ground.pool, desk_id, [id]);
    if (!row || row.firstReceipt === null) continue;
    const side: PartnerSide = 'due';
    const receipt = handReceipt({ deskId: desk_id, memberId: '' }, row, {
      at: ground.now(),
      batchId: '',
      reason: 'The payout has waited as long as the offer says.',
      fields: { status: 'approved', changed_time: due_at.toISOString() },
    });
    const headers = { ...receipt.headers, [ABOUT]: row.firstReceipt, [PARTNER_SIDE]: side };
    await keepAndJudge(ground, { ...receipt, headers });
    changed.add(desk_id);
  }
  return changed;
}
/** Of one minute. */
const MOST_DUE = 500;

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
