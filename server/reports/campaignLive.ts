/**
 * What was seen of a campaign in the last 24 hours, for its trail and its checklist. Every question is bound to the
 * campaign and to the day, so that it stays quick on a desk with years of events.
 */
import { dayOfReceipt, isoDay } from '../db/partitions.ts';
import type { Pool } from 'pg';
import type { CampaignLive } from '@tracheon/core/contract';
import { reasonSentence } from '@tracheon/core/conversions';
import { makeUlid } from '@tracheon/core/identity';

const HOURS = 24;
const ZEROS = new Array<number>(16).fill(0);

interface Asked {
  pool: Pool;
  deskId: string;
  campaignId: string;
  networkId: string;
  since: Date;
  /** The smallest ID that a record of this time can have, and its day. */
  sinceId: string;
  sinceDay: string;
  unmatchedId: string;
}

/** Partners are told by the same outbox. */
const TO_SOURCE = `NOT EXISTS (SELECT 1 FROM parts p WHERE p.id = destination_id AND p.kind = 'partner')`;

export async function campaignLive(
  pool: Pool,
  deskId: string,
  campaign: { id: string; createdAt: string },
  networkId: string,
  nowMs: number,
): Promise<CampaignLive> {
  const sinceMs = nowMs - HOURS * 3_600_000;
  // What its network called about before there was this campaign is not its matter.
  const unmatchedMs = Math.max(sinceMs, Date.parse(campaign.createdAt));
  const asked: Asked = {
    pool,
    deskId,
    campaignId: campaign.id,
    networkId,
    since: new Date(sinceMs),
    sinceId: makeUlid(sinceMs, ZEROS),
    sinceDay: isoDay(sinceMs),
    unmatchedId: makeUlid(unmatchedMs, ZEROS),
  };
  const [visits, unsubstituted, clicks, calls, conversions, told] = await Promise.all([
    visitsSeen(asked),
    unsubstitutedSeen(asked),
    clicksSeen(asked),
    postbacksSeen(asked),
    conversionsSeen(asked),
    toldSeen(asked),
  ]);
  const { direct, ...seen } = visits;
  const { visitsWithClick, ...pressed } = clicks;
  return {
    since: asked.since.toISOString(),
    ...seen,
    unsubstituted,
    ...pressed,
    toOffer: direct + visitsWithClick,
    ...calls,
    ...conversions,
    ...told,
  };
}

/** Visits of the campaign in the time asked for; the day bounds the partitions. */
const OF_CAMPAIGN = `FROM visits v WHERE v.desk_id = $1 AND v.campaign_id = $2 AND v.at > $3
  AND v.day >= ($3::timestamptz AT TIME ZONE 'UTC')::date`;

/** Sent to the campaign's own offer, or on the way to it; else to a fallback. */
export const TO_OFFER = `fate = 'sent'`;

async function visitsSeen({ pool, deskId, campaignId, since }: Asked) {
  const [counts, last] = await Promise.all([
    pool.query<Record<'visits' | 'tests' | 'withId' | 'toPage' | 'direct' | 'fallback', number>>(
      `SELECT count(*) FILTER (WHERE NOT is_test)::int AS visits, count(*) FILTER (WHERE is_test)::int AS tests,
         count(*) FILTER (WHERE NOT is_test AND source_click_id <> '')::int AS "withId",
         count(*) FILTER (WHERE landing_id <> '')::int AS "toPage",
         count(*) FILTER (WHERE landing_id = '' AND ${TO_OFFER})::int AS direct,
         count(*) FILTER (WHERE NOT (${TO_OFFER}))::int AS fallback ${OF_CAMPAIGN} AND NOT is_bot`,
      [deskId, campaignId, since],
    ),
    pool.query<NonNullable<CampaignLive['lastVisit']> & { at: Date | string }>(
      `SELECT id AS "clickId", at, is_test AS "isTest", country, device, raw_query AS "rawQuery" ${OF_CAMPAIGN} AND NOT is_bot
       ORDER BY at DESC, id DESC LIMIT 1`,
      [deskId, campaignId, since],
    ),
  ]);
  const c = counts.rows[0]!;
  const [one] = last.rows;
  return {
    visits: c.visits,
    tests: c.tests,
    withSourceClickId: c.withId,
    toPage: c.toPage,
    direct: c.direct,
    fallback: c.fallback,
    lastVisit: one ? { ...one, at: new Date(one.at).toISOString() } : null,
  };
}

async function unsubstitutedSeen({ pool, deskId, campaignId, since }: Asked) {
  const { rows } = await pool.query<CampaignLive['unsubstituted'][number]>(
    `SELECT substr(note, 15) AS parameter, count(*)::int AS count, max(id) AS "clickId",
       (array_agg(raw_query ORDER BY id DESC))[1] AS "rawQuery"
     FROM (SELECT v.id, v.raw_query, jsonb_array_elements_text(v.notes) AS note ${OF_CAMPAIGN} AND NOT v.is_test AND NOT v.is_bot) n
     WHERE note LIKE 'unsubstituted:%' GROUP BY 1 ORDER BY 2 DESC LIMIT 60`,
    [deskId, campaignId, since],
  );
  return rows;
}

async function clicksSeen({ pool, deskId, campaignId, since }: Asked) {
  const of = `FROM button_clicks b JOIN visits v ON v.desk_id = b.desk_id AND v.day = b.day AND v.id = b.visit_id
    WHERE b.desk_id = $1 AND b.day >= ($3::timestamptz AT TIME ZONE 'UTC')::date AND b.at > $3
      AND v.day >= ($3::timestamptz AT TIME ZONE 'UTC')::date AND v.campaign_id = $2 AND NOT v.is_bot`;
  const [buttons, whole, last] = await Promise.all([
    pool.query<{ n: number; visits: number }>(
      `SELECT b.n, count(DISTINCT b.visit_id)::int AS visits ${of} GROUP BY b.n ORDER BY b.n`,
      [deskId, campaignId, since],
    ),
    pool.query<{ visits: number }>(`SELECT count(DISTINCT b.visit_id)::int AS visits ${of}`, [
      deskId,
      campaignId,
      since,
    ]),
    pool.query<{ clickId: string; n: number; at: Date }>(
      `SELECT b.visit_id AS "clickId", b.n, b.at ${of} ORDER BY b.at DESC LIMIT 1`,
      [deskId, campaignId, since],
    ),
  ]);
  const [one] = last.rows;
  return {
    buttons: buttons.rows,
    visitsWithClick: whole.rows[0]?.visits ?? 0,
    lastClick: one ? { ...one, at: one.at.toISOString() } : null,
  };
}

interface SeenPostbackRow {
  id: string;
  at: Date;
  rawQuery: string;
  clickId: string;
  reason: Parameters<typeof reasonSentence>[0];
  detail: string;
}
const asCall = (r: SeenPostbackRow | undefined): CampaignLive['lastPostback'] =>
  r
    ? {
        id: r.id,
        at: r.at.toISOString(),
        rawQuery: r.rawQuery,
        clickId: r.clickId,
        sentence: reasonSentence(r.reason, r.detail),
      }
    : null;
const CALL_COLUMNS = `o.receipt_id AS id, o.received_at AS at, coalesce(r.query, '') AS "rawQuery", o.click_id AS "clickId", o.reason, o.detail`;
const WITH_RECEIPT = `LEFT JOIN receipts r ON r.desk_id = o.desk_id AND r.id = o.receipt_id
  AND ${dayOfReceipt('r.day', 'o.received_at')} AND r.day >= $4::date`;

async function postbacksSeen({ pool, deskId, campaignId, networkId, sinceId, sinceDay, unmatchedId }: Asked) {
  const [matched, unmatched, lastUnmatched] = await Promise.all([
    pool.query<SeenPostbackRow & { count: number }>(
      `SELECT ${CALL_COLUMNS}, count(*) OVER ()::int AS count FROM outcomes o
       JOIN conversions c ON c.desk_id = o.desk_id AND c.id = o.conversion_id ${WITH_RECEIPT}
       WHERE o.desk_id = $1 AND o.receipt_id > $3 AND c.campaign_id = $2 ORDER BY o.receipt_id DESC LIMIT 1`,
      [deskId, campaignId, sinceId, sinceDay],
    ),
    pool.query<{ count: number }>(
      `SELECT count(*)::int AS count FROM outcomes o
       WHERE o.desk_id = $1 AND o.receipt_id > $3 AND o.network_id = $2 AND o.owner = '' AND o.outcome IN ('repair', 'held')`,
      [deskId, networkId, unmatchedId],
    ),
    pool.query<SeenPostbackRow>(
      `SELECT ${CALL_COLUMNS} FROM outcomes o ${WITH_RECEIPT}
       WHERE o.desk_id = $1 AND o.receipt_id > $3 AND o.network_id = $2 AND o.owner = '' AND o.outcome IN ('repair', 'held')
       ORDER BY o.receipt_id DESC LIMIT 1`,
      [deskId, networkId, unmatchedId, sinceDay],
    ),
  ]);
  return {
    postbacks: matched.rows[0]?.count ?? 0,
    lastPostback: asCall(matched.rows[0]),
    unmatched: unmatched.rows[0]?.count ?? 0,
    lastUnmatched: asCall(lastUnmatched.rows[0]),
  };
}

async function conversionsSeen({ pool, deskId, campaignId, since }: Asked) {
  const { rows } = await pool.query<
    NonNullable<CampaignLive['lastConversion']> & { count: number; at: Date | string }
  >(
    `SELECT c.id, c.click_id AS "clickId", c.converted_at AS at, c.status, c.payout_micros AS "payoutMicros", c.currency,
       c.is_test AS "isTest", NOT c.is_test OR EXISTS (SELECT 1 FROM reported_tests t WHERE t.desk_id = c.desk_id AND t.click_id = c.click_id) AS "isReported",
       count(*) OVER ()::int AS count
     FROM conversions c WHERE c.desk_id = $1 AND c.campaign_id = $2 AND c.visit_at > $3::timestamptz - interval '30 days' AND c.converted_at > $3
     ORDER BY c.id DESC LIMIT 1`,
    [deskId, campaignId, since],
  );
  const [one] = rows;
  if (!one) return { conversions: 0, lastConversion: null };
  const { count, ...last } = one;
  return { conversions: count, lastConversion: { ...last, at: new Date(one.at).toISOString() } };
}

async function toldSeen({ pool, deskId, campaignId, sinceId }: Asked) {
  const [counts, last] = await Promise.all([
    pool.query<Record<'delivered' | 'waiting' | 'gaveUp', number>>(
      `SELECT count(*) FILTER (WHERE state = 'delivered')::int AS delivered, count(*) FILTER (WHERE state IN ('waiting', 'on_page'))::int AS waiting,
         count(*) FILTER (WHERE state = 'gave_up')::int AS "gaveUp"
       FROM outbox WHERE desk_id = $1 AND id > $3 AND campaign_id = $2 AND ${TO_SOURCE}`,
      [deskId, campaignId, sinceId],
    ),
    pool.query<{
      id: string;
      createdAt: Date;
      conversionId: string;
      url: string;
      state: string;
      attempt: { at: string; result: string; httpStatus: number | null } | null;
    }>(
      `SELECT o.id, o.created_at AS "createdAt", o.conversion_id AS "conversionId", o.url, o.state,
         (SELECT json_build_object('at', a.at, 'result', a.result, 'httpStatus', a.http_status) FROM attempts a
          WHERE a.outbox_id = o.id ORDER BY a.id DESC LIMIT 1) AS attempt
       FROM outbox o WHERE o.desk_id = $1 AND o.id > $3 AND o.campaign_id = $2 AND ${TO_SOURCE} ORDER BY o.id DESC LIMIT 1`,
      [deskId, campaignId, sinceId],
    ),
  ]);
  const [one] = last.rows;
  return {
    ...counts.rows[0]!,
    lastPostbackOut: one
      ? {
          id: one.id,
          at: new Date(one.attempt?.at ?? one.createdAt).toISOString(),
          conversionId: one.conversionId,
          url: one.url,
          state: one.state,
          result: one.attempt?.result ?? '',
          httpStatus: one.attempt?.httpStatus ?? null,
        }
      : null,
  };
}
