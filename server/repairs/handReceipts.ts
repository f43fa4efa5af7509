/**
 * Receipts that Tracheon writes itself about conversions that are there: changes by hand, decisions on payouts. They are judged
 * like a partner's, so that nothing edits a conversion. Those of one change are a batch, and are withdrawn together.
 */
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import type { ManyAnswer } from '@tracheon/core/contract';
import { reasonSentence } from '@tracheon/core/conversions';
import type { Reads } from '../db/pools.ts';
import { insertReceiptRows } from '../events/commitRows.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import type { Judges, Judgement } from '../intake/judge.ts';
import { ABOUT, MEMBER, REASON } from '../intake/readReceipt.ts';
import type { Editor } from '../parts/partRecords.ts';
import { makeBatch } from './batches.ts';

export interface HandGround extends Judges {
  pool: Pool;
  now: () => number;
}
export interface Changed {
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

/** What is changed of all of them alike. */
export interface ToMany {
  ids: readonly string[];
  reason: string;
  batchId: string;
  words: string;
  headers: Record<string, string>;
}
/** A receipt about each of the conversions, in one batch. */
export async function writeAbout(
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

export async function loadChanged(client: Reads, deskId: string, ids: readonly string[]): Promise<Changed[]> {
  const { rows } = await client.query<Changed>(
    `SELECT c.id, c.click_id AS "clickId", c.partner_id AS "partnerId", c.offer_id AS "offerId", c.transaction, c.network_id AS "networkId", c.event_type_id AS "eventTypeId", c.currency, c.status,
       (SELECT min(o.receipt_id) FROM outcomes o WHERE o.desk_id = c.desk_id AND o.owner = c.owner AND o.conversion_id = c.id
          AND o.outcome <> 'withdrawn') AS "firstReceipt"
     FROM conversions c WHERE c.desk_id = $1 AND c.id = ANY ($2)`,
    [deskId, ids],
  );
  return rows;
}

/** A new one; or that of an earlier part of the same change. */
export async function openBatch(
  client: Reads,
  by: Editor,
  earlier: string,
  words: string,
  count: number,
): Promise<string> {
  if (earlier !== '') {
    const { rowCount } = await client.query(
      `UPDATE receipt_batches SET total = total + $4, finished = finished + $4, changed_at = now()
       WHERE desk_id = $1 AND id = $2 AND kind = 'hand' AND made_by = $3 AND state = 'done'`,
      [by.deskId, earlier, by.memberId, count],
    );
    if (rowCount === 1) return earlier;
  }
  const id = ulid();
  await makeBatch(client, {
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
  await client.query('UPDATE receipt_batches SET finished = total WHERE id = $1', [id]);
  return id;
}

type About = Pick<Changed, 'clickId' | 'networkId' | 'eventTypeId'> &
  Partial<Pick<Changed, 'partnerId' | 'offerId' | 'transaction'>>;

/** In our names and words; see inOurWords. */
export function handReceipt(
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

export async function keepAndJudge({ pool, judge }: HandGround, receipt: ReceiptRecord): Promise<Judgement> {
  await insertReceiptRows(pool, [receipt]);
  return judge(receipt);
}
