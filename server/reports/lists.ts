/** Lists of what came in and went out, newest first, paged by ID (a ULID, so by time). */
import type { Pool } from 'pg';
import type {
  ClickMatch,
  PostbackInRow,
  PostbackOutRow,
  ConversionRow,
  Page,
  VisitRow,
  WholeVisit,
} from '@tracheon/core/contract';
import { reasonSentence } from '@tracheon/core/conversions';
import { clickIdDay } from '@tracheon/core/identity';

export interface ListQuery {
  deskId: string;
  search: string;
  cursor: string;
  limit: number;
  campaignId: string;
  /** Outcome, status or state, by list; empty: all. */
  kind: string;
}

function page<R extends { id: string }>(rows: R[], limit: number): Page<R> {
  const shown = rows.slice(0, limit);
  return { rows: shown, next: rows.length > limit ? shown.at(-1)!.id : null };
}
const like = (text: string): string => `%${text.replace(/[\\%_]/g, '\\$&')}%`;

const CALL_IN_COLUMNS = `r.id, r.received_at, r.network_id, n.name AS network_name, r.method, r.query, r.body,
  coalesce(o.outcome, 'queued') AS outcome, coalesce(o.reason, 'not_judged_yet') AS reason, coalesce(o.detail, '') AS detail,
  coalesce(o.click_id, '') AS click_id, coalesce(o.conversion_id, '') AS conversion_id, coalesce(o.notes, '[]') AS notes`;
type StoredPostbackIn = Pick<PostbackInRow, 'id' | 'method' | 'body' | 'outcome' | 'reason' | 'notes'> & {
  received_at: Date;
  network_id: string;
  network_name: string;
  query: string;
  detail: string;
  click_id: string;
  conversion_id: string;
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
  notes: r.notes,
});

export async function listPostbacksIn(pool: Pool, q: ListQuery): Promise<Page<PostbackInRow>> {
  const { rows } = await pool.query<StoredPostbackIn>(
    `SELECT ${CALL_IN_COLUMNS}
     FROM receipts r JOIN parts n ON n.id = r.network_id LEFT JOIN outcomes o ON o.desk_id = r.desk_id AND o.receipt_id = r.id
     WHERE r.desk_id = $1 AND ($2 = '' OR r.id < $2) AND ($3 = '' OR coalesce(o.outcome, 'queued') = $3)
       AND ($4 = '' OR r.query ILIKE $5 OR r.body ILIKE $5 OR n.name ILIKE $5 OR o.click_id ILIKE $5)
     ORDER BY r.id DESC LIMIT $6`,
    [q.deskId, q.cursor, q.kind, q.search, like(q.search), q.limit + 1],
  );
  return page(rows.map(asPostbackIn), q.limit);
}

/** More calls, conversions or postbacks out than this about one visit are no trail any more. */
const MAX_OF_VISIT = 100;

/** Calls about one visit, oldest first. */
export async function postbacksInOf(pool: Pool, deskId: string, clickId: string): Promise<PostbackInRow[]> {
  const { rows } = await pool.query<StoredPostbackIn>(
    `SELECT ${CALL_IN_COLUMNS} FROM outcomes o
     JOIN receipts r ON r.desk_id = o.desk_id AND r.id = o.receipt_id AND r.day = (o.received_at AT TIME ZONE 'UTC')::date
     JOIN parts n ON n.id = r.network_id
     WHERE o.desk_id = $1 AND o.owner = $2 ORDER BY r.id LIMIT ${MAX_OF_VISIT}`,
    [deskId, clickId],
  );
  return rows.map(asPostbackIn);
}

const SELECT_CONVERSIONS = `SELECT c.id, c.converted_at AS at, c.visit_at AS "visitAt", c.click_id AS "clickId", c.campaign_id AS "campaignId",
    k.name AS "campaignName", o.name AS "offerName", n.name AS "networkName", e.name AS "eventName", c.status, c.transaction,
    c.payout_micros AS "payoutMicros", c.currency, c.base_micros AS "baseMicros", c.is_test AS "isTest", c.flags
  FROM conversions c JOIN parts k ON k.id = c.campaign_id JOIN parts o ON o.id = c.offer_id
    JOIN parts n ON n.id = c.network_id JOIN parts e ON e.id = c.event_type_id`;
type StoredConversion = ConversionRow & { at: Date | string; visitAt: Date | string };
const asConversion = (r: StoredConversion): ConversionRow => ({
  ...r,
  at: new Date(r.at).toISOString(),
  visitAt: new Date(r.visitAt).toISOString(),
});

/** Conversions of one visit, oldest first. */
export async function conversionsOf(pool: Pool, deskId: string, clickId: string): Promise<ConversionRow[]> {
  const { rows } = await pool.query<StoredConversion>(
    `${SELECT_CONVERSIONS} WHERE c.desk_id = $1 AND c.owner = $2 ORDER BY c.id LIMIT ${MAX_OF_VISIT}`,
    [deskId, clickId],
  );
  return rows.map(asConversion);
}

export async function listConversions(pool: Pool, q: ListQuery): Promise<Page<ConversionRow>> {
  const { rows } = await pool.query<StoredConversion>(
    `${SELECT_CONVERSIONS} WHERE c.desk_id = $1 AND ($2 = '' OR c.id < $2) AND ($3 = '' OR c.status = $3) AND ($7 = '' OR c.campaign_id = $7)
       AND ($4 = '' OR c.click_id ILIKE $5 OR c.transaction ILIKE $5 OR k.name ILIKE $5 OR o.name ILIKE $5 OR n.name ILIKE $5)
     ORDER BY c.id DESC LIMIT $6`,
    [q.deskId, q.cursor, q.kind, q.search, like(q.search), q.limit + 1, q.campaignId],
  );
  return page(rows.map(asConversion), q.limit);
}

const SELECT_CALLS_OUT = `SELECT o.id, o.created_at AS "createdAt", o.conversion_id AS "conversionId", s.name AS "sourceName", k.name AS "campaignName",
    o.status, o.url, o.state, CASE WHEN o.state = 'waiting' THEN o.next_try_at END AS "nextTryAt",
    coalesce((SELECT json_agg(json_build_object('at', a.at, 'result', a.result, 'httpStatus', a.http_status, 'tookMs', a.took_ms) ORDER BY a.id)
      FROM attempts a WHERE a.outbox_id = o.id), '[]') AS attempts
  FROM outbox o JOIN parts s ON s.id = o.source_id JOIN parts k ON k.id = o.campaign_id`;
type StoredPostbackOut = PostbackOutRow & { createdAt: Date | string; nextTryAt: Date | null };
const asPostbackOut = (r: StoredPostbackOut): PostbackOutRow => ({
  ...r,
  createdAt: new Date(r.createdAt).toISOString(),
  nextTryAt: r.nextTryAt && new Date(r.nextTryAt).toISOString(),
});

/** Calls to the source about one visit, oldest first. */
export async function postbacksOutOf(pool: Pool, deskId: string, clickId: string): Promise<PostbackOutRow[]> {
  const { rows } = await pool.query<StoredPostbackOut>(
    `${SELECT_CALLS_OUT} WHERE o.desk_id = $1
       AND o.conversion_id IN (SELECT c.id FROM conversions c WHERE c.desk_id = $1 AND c.owner = $2)
     ORDER BY o.id LIMIT ${MAX_OF_VISIT}`,
    [deskId, clickId],
  );
  return rows.map(asPostbackOut);
}

export async function listPostbacksOut(pool: Pool, q: ListQuery): Promise<Page<PostbackOutRow>> {
  const { rows } = await pool.query<StoredPostbackOut>(
    `${SELECT_CALLS_OUT} WHERE o.desk_id = $1 AND ($2 = '' OR o.id < $2) AND ($3 = '' OR o.state = $3) AND ($7 = '' OR o.campaign_id = $7)
       AND ($4 = '' OR o.url ILIKE $5 OR s.name ILIKE $5 OR k.name ILIKE $5)
     ORDER BY o.id DESC LIMIT $6`,
    [q.deskId, q.cursor, q.kind, q.search, like(q.search), q.limit + 1, q.campaignId],
  );
  return page(rows.map(asPostbackOut), q.limit);
}

const VISIT_COLUMNS = `id, at, campaign_id AS "campaignId", offer_id AS "offerId", landing_id AS "landingId", country, device, device_model AS "deviceModel",
  os, os_version AS "osVersion", browser, browser_version AS "browserVersion", language, referrer_host AS "referrerHost",
  address_prefix AS "addressPrefix", guessed, is_bot AS "isBot", is_repeat AS "isRepeat", is_unique AS "isUnique",
  is_test AS "isTest", cost_micros AS "costMicros", cost_currency AS "costCurrency", source_click_id AS "sourceClickId",
  subs, raw_query AS "rawQuery", notes`;
/** The latest visits are looked for in these many days; older ones are a report's matter. */
const LATEST_DAYS = 31;

export async function listVisits(pool: Pool, q: ListQuery): Promise<Page<VisitRow>> {
  const { rows } = await pool.query<VisitRow & { at: Date | string }>(
    `SELECT ${VISIT_COLUMNS} FROM visits
     WHERE desk_id = $1 AND day >= (now() AT TIME ZONE 'UTC')::date - ${LATEST_DAYS} AND ($2 = '' OR id < $2)
       AND ($5 = '' OR campaign_id = $5)
       AND ($3 = '' OR id ILIKE $4 OR source_click_id ILIKE $4 OR raw_query ILIKE $4)
     ORDER BY at DESC, id DESC LIMIT $6`,
    [q.deskId, q.cursor, q.search, like(q.search), q.campaignId, q.limit + 1],
  );
  return page(
    rows.map((r) => ({ ...r, at: new Date(r.at).toISOString() })),
    q.limit,
  );
}

export async function oneVisit(pool: Pool, deskId: string, clickId: string): Promise<WholeVisit | null> {
  const place = [deskId, clickIdDay(clickId), clickId];
  const [{ rows }, clicks] = await Promise.all([
    pool.query<VisitRow & { at: Date | string }>(
      `SELECT ${VISIT_COLUMNS} FROM visits WHERE desk_id = $1 AND day = $2 AND id = $3`,
      place,
    ),
    pool.query<{ n: number; at: Date; match: ClickMatch }>(
      `SELECT n, at, match FROM button_clicks WHERE desk_id = $1 AND day = $2 AND visit_id = $3 ORDER BY id LIMIT 100`,
      place,
    ),
  ]);
  if (!rows[0]) return null;
  return {
    ...rows[0],
    at: new Date(rows[0].at).toISOString(),
    buttonClicks: clicks.rows.map((c) => ({ ...c, at: c.at.toISOString() })),
  };
}
