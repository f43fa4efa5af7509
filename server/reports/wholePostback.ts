/** One postback opened: how it is read, the visit it matched, what it changed, and what went on to the source. */
import type { Pool } from 'pg';
import type { WholePostbackIn } from '@tracheon/core/contract';
import { explainPostback } from '@tracheon/core/conversions';
import { clickIdDay, parseClickId } from '@tracheon/core/identity';
import { loadReader } from '../intake/ownerContext.ts';
import { parsedReceipt, readerOf, REASON } from '../intake/readReceipt.ts';
import { loadReceipt } from '../intake/sweeper.ts';
import { oneConversion, onePostbackIn } from './lists.ts';

type Named = WholePostbackIn['postback'];

/** Null when there is no such postback. */
export async function wholePostback(pool: Pool, deskId: string, id: string): Promise<WholePostbackIn | null> {
  const [postback, receipt] = await Promise.all([
    onePostbackIn(pool, deskId, id),
    loadReceipt(pool, deskId, id, clickIdDay(id)),
  ]);
  if (!postback || !receipt) return null;
  const reader = await loadReader(pool, receipt);
  const query = parsedReceipt(receipt);
  const [visit, conversion, booked, sent] = await Promise.all([
    visitOf(pool, deskId, postback),
    postback.conversionId === '' ? null : oneConversion(pool, deskId, postback.conversionId),
    bookedBy(pool, deskId, postback),
    sentOf(pool, deskId, postback),
  ]);
  return {
    postback,
    channel: receipt.channel,
    path: receipt.path,
    contentType: receipt.contentType,
    byHand: receipt.headers[REASON] ?? '',
    steps: explainPostback(
      query,
      readerOf(receipt, reader),
      reader.types,
      receipt.receivedMs,
      conversion?.flags.includes('carried_over') ?? false,
    ),
    visit,
    conversion,
    booked,
    sent,
  };
}

/** The visit that it was matched with; before it could be matched, the one whose click ID it carries. */
async function visitOf(
  pool: Pool,
  deskId: string,
  { id, clickId }: Named,
): Promise<WholePostbackIn['visit']> {
  const { rows: outcomes } = await pool.query<{ owner: string }>(
    'SELECT owner FROM outcomes WHERE desk_id = $1 AND receipt_id = $2',
    [deskId, id],
  );
  const owner = outcomes[0]?.owner || clickId;
  if (parseClickId(owner) === null) return null;
  const { rows } = await pool.query<NonNullable<WholePostbackIn['visit']> & { at: Date | string }>(
    `SELECT v.id AS "clickId", v.at, v.campaign_id AS "campaignId", k.name AS "campaignName", coalesce(o.name, '') AS "offerName",
       v.country, v.is_test AS "isTest"
     FROM visits v JOIN parts k ON k.id = v.campaign_id LEFT JOIN parts o ON o.id = v.offer_id
     WHERE v.desk_id = $1 AND v.day = $2 AND v.id = $3`,
    [deskId, clickIdDay(owner), owner],
  );
  return rows[0] ? { ...rows[0], at: new Date(rows[0].at).toISOString() } : null;
}

async function bookedBy(pool: Pool, deskId: string, { id, conversionId }: Named) {
  const { rows } = await pool.query<WholePostbackIn['booked'][number]>(
    `SELECT kind, delta_micros AS "deltaMicros", currency, base_delta_micros AS "baseDeltaMicros"
     FROM ledger WHERE desk_id = $1 AND conversion_id = $2 AND receipt_id = $3 ORDER BY id`,
    [deskId, conversionId, id],
  );
  return rows;
}

async function sentOf(pool: Pool, deskId: string, { conversionId, receivedAt }: Named) {
  const { rows } = await pool.query<WholePostbackIn['sent'][number]>(
    `SELECT o.id, o.status, o.state, s.name AS "sourceName" FROM outbox o JOIN parts s ON s.id = o.destination_id
     WHERE o.desk_id = $1 AND o.conversion_id = $2 AND o.created_at >= $3 ORDER BY o.id`,
    [deskId, conversionId, receivedAt],
  );
  return rows;
}
