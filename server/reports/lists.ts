/** Lists of what came in and went out: searched, filtered, sorted and paged here, so that a list may be of any length. */
import { dayAgo, dayOfReceipt, daysOfReceipts } from '../db/partitions.ts';
import type { Pool } from 'pg';
import {
  statuses,
  type ConversionRow,
  type Page,
  type PostbackInRow,
  type PostbackOutRow,
} from '@tracheon/core/contract';
import { reasonSentence } from '@tracheon/core/conversions';
import { clickIdDay, clickIdTime, parseClickId } from '@tracheon/core/identity';
import { narrowBehind } from './behind.ts';
import {
  beginsAfter,
  Conditions,
  like,
  pageOf,
  pageQuery,
  type ListQuestion,
  type SortColumns,
  type SortedRow,
} from './listPage.ts';

const CALL_IN_COLUMNS = `r.received_at, r.network_id, n.name AS network_name, r.method, r.query, r.body,
  coalesce(o.outcome, 'queued') AS outcome, coalesce(o.reason, 'not_judged_yet') AS reason, coalesce(o.detail, '') AS detail,
  coalesce(o.click_id, '') AS click_id, coalesce(o.conversion_id, '') AS conversion_id, coalesce(o.notes, '[]') AS notes,
  coalesce(o.set_aside_reason, '') AS set_aside_reason`;
type StoredPostbackIn = Pick<PostbackInRow, 'id' | 'method' | 'body' | 'outcome' | 'reason' | 'notes'> & {
  received_at: Date;
  network_id: string;
  network_name: string;
  query: string;
  detail: string;
  click_id: string;
  conversion_id: string;
  set_aside_reason: string;
};
const asPostbackIn = (r: StoredPostbackIn): PostbackInRow => ({
  id: r.id,
  receivedAt: r.received_at.toISOString(),
  networkId: r.network_id,
  networkName: r.network_name,
  method: r.method,
  rawQuery: r.query,
  body: r.body,
  outcome: r.outcome,
  reason: r.reason,
  sentence: reasonSentence(r.reason, r.detail),
  clickId: r.click_id,
  conversionId: r.conversion_id,
  setAsideReason: r.set_aside_reason,
  notes: r.notes,
});

const POSTBACKS_IN = `receipts r JOIN parts n ON n.id = r.network_id
  LEFT JOIN outcomes o ON o.desk_id = r.desk_id AND o.receipt_id = r.id`;
/** An ID begins with its time. */
const postbackInSorts: SortColumns = { at: ['r.id', 'text'] };

/**
 * Newest first, a page is looked for in so many days before it, then in more, then in all there are: a desk that gets postbacks
 * every day has its page in the first ones, and the database opens no others.
 */
const DAYS_AT_A_TIME = [8, 64];

export async function listPostbacksIn(
  pool: Pool,
  q: ListQuestion<'listPostbacksIn'>,
): Promise<Page<PostbackInRow>> {
  const read = (days: number | null) => readPostbacksIn(pool, q, days);
  for (const days of q.sort === '-at' ? DAYS_AT_A_TIME : []) {
    const rows = await read(days);
    if (rows.length > q.limit) return pageOf(rows, q, asPostbackIn);
  }
  return pageOf(await read(null), q, asPostbackIn);
}

/** One row more than the page has, if there is one. `days`: so many before the page; null: all. */
async function readPostbacksIn(
  pool: Pool,
  q: ListQuestion<'listPostbacksIn'>,
  days: number | null,
): Promise<(StoredPostbackIn & SortedRow)[]> {
  const after = beginsAfter(q, 'text');
  const begins = parseClickId(after) === null ? null : clickIdTime(after);
  const where = new Conditions()
    .add('r.desk_id = ?', q.deskId)
    .narrow(`coalesce(o.outcome, 'queued') = ?`, q.kind)
    .narrow('r.network_id = ?', q.network)
    .narrow(
      'o.conversion_id IN (SELECT c.id FROM conversions c WHERE c.desk_id = o.desk_id AND c.campaign_id = ?)',
      q.campaign,
    )
    .narrow('r.query ILIKE ? OR r.body ILIKE ? OR n.name ILIKE ? OR o.click_id ILIKE ?', like(q.search));
  if (begins !== null) where.add(`r.day ${q.sort === '-at' ? '<=' : '>='} ?::date`, dayAgo(0, begins));
  if (days !== null) where.add('r.day >= ?::date', dayAgo(days, begins ?? Date.now()));
  const statement = { select: CALL_IN_COLUMNS, from: POSTBACKS_IN, id: 'r.id', where };
  const { text, values } = pageQuery(q, postbackInSorts, statement);
  return (await pool.query<StoredPostbackIn & SortedRow>(text, values)).rows;
}

export async function onePostbackIn(pool: Pool, deskId: string, id: string): Promise<PostbackInRow | null> {
  const { rows } = await pool.query<StoredPostbackIn>(
    `SELECT r.id, ${CALL_IN_COLUMNS} FROM ${POSTBACKS_IN} WHERE r.desk_id = $1 AND r.day = $2 AND r.id = $3`,
    [deskId, clickIdDay(id), id],
  );
  return rows[0] ? asPostbackIn(rows[0]) : null;
}

/** More calls, conversions or postbacks out than this about one visit are no trail any more. */
const MAX_OF_VISIT = 100;

/** Calls about one visit, oldest first. */
export async function postbacksInOf(pool: Pool, deskId: string, clickId: string): Promise<PostbackInRow[]> {
  const days = await daysOfReceipts(
    pool,
    `SELECT receipt_id FROM outcomes WHERE desk_id = $1 AND owner = $2 ORDER BY receipt_id LIMIT ${MAX_OF_VISIT}`,
    [deskId, clickId],
  );
  const { rows } = await pool.query<StoredPostbackIn>(
    `SELECT r.id, ${CALL_IN_COLUMNS} FROM outcomes o
     JOIN receipts r ON r.desk_id = o.desk_id AND r.id = o.receipt_id AND ${dayOfReceipt('r.day', 'o.received_at')}
       AND r.day = ANY ($3::date[])
     JOIN parts n ON n.id = r.network_id
     WHERE o.desk_id = $1 AND o.owner = $2 ORDER BY r.id LIMIT ${MAX_OF_VISIT}`,
    [deskId, clickId, days],
  );
  return rows.map(asPostbackIn);
}

/** The name of a part; empty where there is none. */
const nameOf = (id: string): string => `coalesce((SELECT p.name FROM parts p WHERE p.id = ${id}), '')`;
const CONVERSION_COLUMNS = `c.converted_at AS at, c.visit_at AS "visitAt", c.click_id AS "clickId", c.campaign_id AS "campaignId",
    coalesce(k.name, '') AS "campaignName", c.partner_id AS "partnerId", ${nameOf('c.brought_by')} AS "partnerName", coalesce(o.name, '') AS "offerName", ${nameOf('c.network_id')} AS "networkName", e.name AS "eventName", c.status, c.transaction,
    c.payout_micros AS "payoutMicros", c.currency, c.base_micros AS "baseMicros", c.is_test AS "isTest", c.flags,
    c.partner_status AS "partnerStatus", c.partner_micros AS "partnerMicros", c.partner_currency AS "partnerCurrency", c.partner_due_at AS "partnerDueAt",
    c.noted_micros AS "notedMicros", c.noted_currency AS "notedCurrency", ${nameOf('c.source_id')} AS "sourceName",
    coalesce((SELECT x.source_click_id FROM carried_clicks x WHERE x.desk_id = c.desk_id AND x.foreign_id = c.click_id), '') AS "sourceClickId", c.branch_id AS "branchId", c.pairing_id AS "pairingId",
    ${nameOf('c.landing_id')} AS "landingName", c.country, c.device, c.subs, c.extras, c.reported AS "isReported",
    coalesce((SELECT x.state FROM outbox x WHERE x.desk_id = c.desk_id AND x.conversion_id = c.id ORDER BY x.seq DESC LIMIT 1), '') AS "sentState"`;
/** Joined is only what is sorted by: with nine tables the database took 40 ms to find the best order of them. */
const CONVERSIONS = `conversions c LEFT JOIN parts k ON k.id = c.campaign_id LEFT JOIN parts o ON o.id = c.offer_id
    JOIN parts e ON e.id = c.event_type_id`;
type StoredConversion = ConversionRow &
  Record<'at' | 'visitAt', Date | string> & { partnerDueAt: Date | null };
const asConversion = (r: StoredConversion): ConversionRow => ({
  ...r,
  at: new Date(r.at).toISOString(),
  visitAt: new Date(r.visitAt).toISOString(),
  partnerDueAt: r.partnerDueAt && new Date(r.partnerDueAt).toISOString(),
});

/** With what only the visits know; one that is gone knows nothing. The days stand in the question, so that only they are read. */
async function withSourceClicks(pool: Pool, deskId: string, rows: ConversionRow[]): Promise<ConversionRow[]> {
  const ids = [...new Set(rows.map((r) => r.clickId))].filter((id) => parseClickId(id) !== null);
  if (ids.length === 0) return rows;
  const { rows: found } = await pool.query<{ id: string; sourceClickId: string }>(
    `SELECT id, source_click_id AS "sourceClickId" FROM visits
     WHERE desk_id = $1 AND day = ANY ($2::date[]) AND id = ANY ($3)`,
    [deskId, [...new Set(ids.map(clickIdDay))], ids],
  );
  const of = new Map(found.map((v) => [v.id, v.sourceClickId]));
  return rows.map((r) => ({ ...r, sourceClickId: of.get(r.clickId) ?? r.sourceClickId }));
}

/** Conversions of one owner, oldest first. */
export async function conversionsOf(pool: Pool, deskId: string, owner: string): Promise<ConversionRow[]> {
  const { rows } = await pool.query<StoredConversion>(
    `SELECT c.id, ${CONVERSION_COLUMNS} FROM ${CONVERSIONS} WHERE c.desk_id = $1 AND c.owner = $2 ORDER BY c.id LIMIT ${MAX_OF_VISIT}`,
    [deskId, owner],
  );
  return rows.map(asConversion);
}

const conversionSorts: SortColumns = {
  at: ['c.converted_at', 'timestamptz'],
  status: ['c.status', 'text'],
  payout: ['c.payout_micros', 'bigint'],
  base: ['coalesce(c.base_micros, 0)', 'bigint'],
  event: ['lower(e.name)', 'text'],
  campaign: ["lower(coalesce(k.name, ''))", 'text'],
  offer: ['lower(o.name)', 'text'],
  transaction: ['c.transaction', 'text'],
};

export async function oneConversion(pool: Pool, deskId: string, id: string): Promise<ConversionRow | null> {
  const { rows } = await pool.query<StoredConversion>(
    `SELECT c.id, ${CONVERSION_COLUMNS} FROM ${CONVERSIONS} WHERE c.desk_id = $1 AND c.id = $2`,
    [deskId, id],
  );
  const [row] = await withSourceClicks(pool, deskId, rows.map(asConversion));
  return row ?? null;
}

export async function listConversions(
  pool: Pool,
  q: ListQuestion<'listConversions'>,
): Promise<Page<ConversionRow>> {
  const where = new Conditions()
    .add('c.desk_id = ?', q.deskId)
    .narrow('c.status = ?', q.kind)
    .narrow('c.campaign_id = ?', q.campaign)
    .narrow('c.offer_id = ?', q.offer)
    .narrow('c.network_id = ?', q.network)
    .narrow(
      // $1 is the desk: the networks are found once, not for each row.
      `c.click_id ILIKE ? OR c.partner_id ILIKE ? OR c.transaction ILIKE ? OR k.name ILIKE ? OR o.name ILIKE ?
       OR c.network_id IN (SELECT n.id FROM parts n WHERE n.desk_id = $1 AND n.kind = 'network' AND n.name ILIKE ?)
       OR c.subs::text ILIKE ? OR c.extras::text ILIKE ?`,
      like(q.search),
    );
  if (q.tests !== '') where.add('c.is_test = ?', q.tests === 'only');
  where.narrow('c.brought_by = ?', q.partner);
  if (q.payout !== '')
    where.add('c.partner_status = ANY (?)', q.payout === 'any' ? [...statuses] : [q.payout]);
  const time = q.dayOf === 'visit' ? 'c.visit_at' : 'c.converted_at';
  await narrowBehind(pool, where, q, { table: 'c', time, hasExtras: true });
  const statement = { select: CONVERSION_COLUMNS, from: CONVERSIONS, id: 'c.id', where };
  const { text, values } = pageQuery(q, conversionSorts, statement);
  const { rows } = await pool.query<StoredConversion & SortedRow>(text, values);
  const page = pageOf(rows, q, asConversion);
  return { ...page, rows: await withSourceClicks(pool, q.deskId, page.rows) };
}

const CALL_OUT_COLUMNS = `o.created_at AS "createdAt", o.conversion_id AS "conversionId", s.name AS "sourceName", s.kind = 'partner' AS "isPartner", coalesce(k.name, '') AS "campaignName",
    o.status, o.nth, o.method, o.url, o.body, o.state, o.set_aside_reason AS "setAsideReason", CASE WHEN o.state = 'waiting' THEN o.next_try_at END AS "nextTryAt",
    coalesce((SELECT json_agg(json_build_object('at', a.at, 'result', a.result, 'httpStatus', a.http_status, 'tookMs', a.took_ms) ORDER BY a.id)
      FROM attempts a WHERE a.outbox_id = o.id), '[]') AS attempts`;
const POSTBACKS_OUT = `outbox o JOIN parts s ON s.id = o.destination_id LEFT JOIN parts k ON k.id = o.campaign_id`;
type StoredPostbackOut = PostbackOutRow & { createdAt: Date | string; nextTryAt: Date | null };
const asPostbackOut = (r: StoredPostbackOut): PostbackOutRow => ({
  ...r,
  createdAt: new Date(r.createdAt).toISOString(),
  nextTryAt: r.nextTryAt && new Date(r.nextTryAt).toISOString(),
});

/** Calls to the source about one visit, oldest first. */
export async function postbacksOutOf(pool: Pool, deskId: string, clickId: string): Promise<PostbackOutRow[]> {
  const { rows } = await pool.query<StoredPostbackOut>(
    `SELECT o.id, ${CALL_OUT_COLUMNS} FROM ${POSTBACKS_OUT} WHERE o.desk_id = $1
       AND o.conversion_id IN (SELECT c.id FROM conversions c WHERE c.desk_id = $1 AND c.owner = $2)
     ORDER BY o.id LIMIT ${MAX_OF_VISIT}`,
    [deskId, clickId],
  );
  return rows.map(asPostbackOut);
}

/** Of conversions that it booked something of; also once it was undone, since entries of the ledger stay. */
const OF_BATCH = `o.created_at >= (SELECT made_at FROM receipt_batches WHERE id = ?) AND EXISTS (
  SELECT 1 FROM ledger l JOIN outcomes u ON u.desk_id = l.desk_id AND u.receipt_id = l.receipt_id
  WHERE l.desk_id = o.desk_id AND l.conversion_id = o.conversion_id AND (u.batch_id = ? OR u.repaired_by = ?))`;

const postbackOutSorts: SortColumns = { at: ['o.id', 'text'] };

export async function listPostbacksOut(
  pool: Pool,
  q: ListQuestion<'listPostbacksOut'>,
): Promise<Page<PostbackOutRow>> {
  const where = new Conditions()
    .add('o.desk_id = ?', q.deskId)
    .narrow('o.state = ?', q.kind)
    .narrow('o.destination_id = ?', q.source)
    .narrow('o.campaign_id = ?', q.campaign)
    .narrow(OF_BATCH, q.batch)
    .narrow('o.url ILIKE ? OR s.name ILIKE ? OR k.name ILIKE ?', like(q.search));
  const statement = { select: CALL_OUT_COLUMNS, from: POSTBACKS_OUT, id: 'o.id', where };
  const { text, values } = pageQuery(q, postbackOutSorts, statement);
  const { rows } = await pool.query<StoredPostbackOut & SortedRow>(text, values);
  return pageOf(rows, q, asPostbackOut);
}
