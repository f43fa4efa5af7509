/**
 * How good the visits of a partner are. Everything is read from the visits and conversions themselves, so that each figure has
 * the very visits behind it. An index by partner holds only visits that a partner brought.
 */
import type { Pool } from 'pg';
import {
  FAST_SECONDS,
  isTakenBack,
  sqlStatuses,
  type PartnerQuality,
  type QualityCheck,
  type QualityVisit,
} from '@tracheon/core/contract';
import { dayStart, shiftDay } from '@tracheon/core/time';
import { Problem } from '../problems/problem.ts';

const MAX_LISTED = 200;

export interface QualityOf {
  deskId: string;
  partnerId: string;
  zone: string;
  from: string;
  to: string;
}

/** $1 desk, $2 partner, $3 and $4 the period; a day of UTC lies in a partition. */
const VISITS = `visits v WHERE v.desk_id = $1 AND v.brought_by = $2 AND v.day >= ($3::timestamptz AT TIME ZONE 'UTC')::date
  AND v.day <= ($4::timestamptz AT TIME ZONE 'UTC')::date AND v.at >= $3 AND v.at < $4 AND NOT v.is_test`;
/** Beyond the first one of each address and agent; addresses are kept for some days only. */
const SAME_VISITOR = `SELECT s.id, s.day, s.n FROM (
    SELECT v.id, v.day, row_number() OVER (PARTITION BY a.address, a.user_agent ORDER BY v.at, v.id) AS n
    FROM (SELECT * FROM ${VISITS} AND NOT v.is_bot) v
    JOIN visit_addresses a ON a.desk_id = v.desk_id AND a.day = v.day AND a.visit_id = v.id) s WHERE s.n > 1`;
const CONVERSIONS = `conversions c WHERE c.desk_id = $1 AND c.brought_by = $2 AND c.converted_at >= $3 AND c.converted_at < $4
  AND NOT c.is_test`;
/** A conversion that was told by the partner's ID has no visit. */
const AFTER = `extract(epoch FROM c.converted_at - c.visit_at)`;
/** The partition in which its visit lies. */
const VISIT_DAY = `(c.visit_at AT TIME ZONE 'UTC')::date`;
const FAST = `c.click_id <> '' AND ${AFTER} < ${FAST_SECONDS}`;
const TAKEN_BACK = sqlStatuses(isTakenBack);
const REJECTED = `coalesce(c.partner_status, c.status) IN (${TAKEN_BACK})`;

const period = ({ deskId, partnerId, zone, from, to }: QualityOf): unknown[] => [
  deskId,
  partnerId,
  new Date(dayStart(from, zone)),
  new Date(dayStart(shiftDay(to, 1), zone)),
];

interface VisitCounts {
  visits: number;
  people: number;
  bots: number;
  listed: number;
}
interface ConversionCounts {
  conversions: number;
  withVisit: number;
  fast: number;
  decided: number;
  rejected: number;
  median: number | null;
}

export async function partnerQuality(
  pool: Pool,
  of: QualityOf,
  nowMs: number,
  addressDays: number,
): Promise<PartnerQuality> {
  await refuseStranger(pool, of);
  const values = period(of);
  const [visits, same, conversions, lists] = await Promise.all([
    pool.query<VisitCounts>(
      `SELECT count(*)::int AS visits, count(*) FILTER (WHERE NOT is_bot)::int AS people,
         count(*) FILTER (WHERE is_bot AND bot_reason <> 'listed_address')::int AS bots,
         count(*) FILTER (WHERE bot_reason = 'listed_address')::int AS listed FROM ${VISITS}`,
      values,
    ),
    pool.query<{ n: number }>(`SELECT count(*)::int AS n FROM (${SAME_VISITOR}) x`, values),
    pool.query<ConversionCounts>(
      `SELECT count(*)::int AS conversions, count(*) FILTER (WHERE c.click_id <> '')::int AS "withVisit",
         count(*) FILTER (WHERE ${FAST})::int AS fast,
         count(*) FILTER (WHERE coalesce(c.partner_status, c.status) <> 'pending')::int AS decided,
         count(*) FILTER (WHERE ${REJECTED})::int AS rejected,
         percentile_disc(0.5) WITHIN GROUP (ORDER BY ${AFTER}) FILTER (WHERE c.click_id <> '')::float8 AS median FROM ${CONVERSIONS}`,
      values,
    ),
    pool.query<{ n: number }>(
      `SELECT jsonb_array_length(bot_list->'addresses') AS n FROM desks WHERE id = $1`,
      [of.deskId],
    ),
  ]);
  const v = visits.rows[0]!;
  const c = conversions.rows[0]!;
  const isOld = dayStart(of.from, of.zone) < nowMs - addressDays * 86_400_000;
  return {
    visits: v.visits,
    conversions: c.conversions,
    checks: [
      { check: 'bots', count: v.bots, of: v.visits, unknown: '' },
      {
        check: 'listed',
        count: v.listed,
        of: v.visits,
        unknown:
          (lists.rows[0]?.n ?? 0) === 0
            ? 'Not known: this desk lists no addresses. Add ranges of data centers under Bots in Settings.'
            : '',
      },
      {
        check: 'same_visitor',
        count: same.rows[0]!.n,
        of: v.people,
        unknown: isOld
          ? `Tracheon keeps addresses for ${addressDays} days: older visits are not compared.`
          : '',
      },
      { check: 'fast', count: c.fast, of: c.withVisit, unknown: '' },
      { check: 'rejected', count: c.rejected, of: c.decided, unknown: '' },
    ],
    medianSeconds: c.median,
  };
}

async function refuseStranger(pool: Pool, { deskId, partnerId }: QualityOf): Promise<void> {
  const { rowCount } = await pool.query(
    `SELECT 1 FROM parts WHERE desk_id = $1 AND id = $2 AND kind = 'partner'`,
    [deskId, partnerId],
  );
  if (rowCount === 0) throw new Problem('not_found');
}

/** IDs of visits with what is wrong about each, newest first. */
const behind: Record<QualityCheck, string> = {
  bots: `SELECT v.id, v.day, CASE v.bot_reason WHEN 'no_agent' THEN 'no user agent' WHEN 'listed_agent' THEN 'user agent on your list'
      ELSE 'user agent of a bot' END AS why FROM ${VISITS} AND v.is_bot AND v.bot_reason <> 'listed_address'`,
  listed: `SELECT v.id, v.day, 'address on your list' AS why FROM ${VISITS} AND v.bot_reason = 'listed_address'`,
  same_visitor: `SELECT id, day, 'visit ' || n || ' of this visitor' AS why FROM (${SAME_VISITOR}) x`,
  fast: `SELECT c.click_id AS id, ${VISIT_DAY} AS day, 'converted after ' || round(${AFTER}::numeric, 1) || ' s' AS why FROM ${CONVERSIONS} AND ${FAST}`,
  rejected: `SELECT c.click_id AS id, ${VISIT_DAY} AS day, 'conversion ' || coalesce(c.partner_status, c.status) AS why FROM ${CONVERSIONS}
    AND c.click_id <> '' AND ${REJECTED}`,
};

export async function partnerQualityVisits(
  pool: Pool,
  of: QualityOf & { check: QualityCheck },
): Promise<{ rows: QualityVisit[]; isCut: boolean }> {
  await refuseStranger(pool, of);
  // A click ID of ours begins with its time: the newest ones are the greatest.
  const { rows } = await pool.query<QualityVisit & { at: Date }>(
    `SELECT v.id, v.at, coalesce(k.name, '') AS "campaignName", v.country, v.os, v.browser, v.address_prefix AS "addressPrefix",
       v.subs, b.why FROM (SELECT * FROM (${behind[of.check]}) x ORDER BY id DESC LIMIT ${MAX_LISTED + 1}) b
     JOIN visits v ON v.desk_id = $1 AND v.day = b.day AND v.id = b.id AND v.brought_by = $2
     LEFT JOIN parts k ON k.id = v.campaign_id ORDER BY v.id DESC`,
    period(of),
  );
  return {
    rows: rows.slice(0, MAX_LISTED).map((r) => ({ ...r, at: r.at.toISOString() as never })),
    isCut: rows.length > MAX_LISTED,
  };
}
