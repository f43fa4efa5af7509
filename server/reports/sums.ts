/**
 * Sums behind the figures: visits by campaign, day and currency; conversions by the visit's day. Days are those of
 * the desk's zone. Costs are converted here, by the day's rate; what has no rate is given apart.
 */
import type { Pool } from 'pg';
import { sqlStatuses, statusOf, type ConversionStatus } from '@tracheon/core/contract';
import {
  approvalRates,
  noVisits,
  type ApprovalRate,
  type ConversionSums,
  type Sums,
} from '@tracheon/core/metrics';
import { convert, rateOn, type Rate } from '@tracheon/core/money';

export interface Scope {
  deskId: string;
  zone: string;
  currency: string;
  /** First and last local day, both included. */
  from: string;
  to: string;
  campaignId?: string;
}
export interface CampaignDay {
  campaignId: string;
  day: string;
  sums: Sums;
}

interface VisitRow {
  campaign_id: string;
  day: string;
  cost_currency: string;
  visits: string;
  uniques: string;
  bots: string;
  repeats: string;
  tests: string;
  to_page: string;
  clicked: string;
  sent: string;
  spent: string;
  bot_cost: string;
  without_cost: string;
}
interface ConversionRow {
  campaign_id: string;
  day: string;
  currency: string;
  offer_id: string;
  network_id: string;
  event_type_id: string;
  status: ConversionStatus;
  as_conversion: boolean;
  as_revenue: boolean;
  n: string;
  base: string;
  unconverted: string;
}

// The partition key is the click ID's UTC day; a local day reaches at most one UTC day to either side.
const VISITS = `
WITH clicked AS (
  SELECT DISTINCT day, visit_id FROM button_clicks WHERE desk_id = $1 AND day BETWEEN $3::date - 1 AND $4::date + 1)
SELECT campaign_id, (v.at AT TIME ZONE $2)::date::text AS day, cost_currency,
  count(*) FILTER (WHERE NOT is_bot AND NOT is_repeat AND NOT is_test) AS visits,
  count(*) FILTER (WHERE NOT is_bot AND NOT is_repeat AND NOT is_test AND is_unique) AS uniques,
  count(*) FILTER (WHERE is_bot AND NOT is_test) AS bots,
  count(*) FILTER (WHERE is_repeat AND NOT is_bot AND NOT is_test) AS repeats,
  count(*) FILTER (WHERE is_test) AS tests,
  count(*) FILTER (WHERE NOT is_bot AND NOT is_repeat AND NOT is_test AND landing_id <> '') AS to_page,
  count(c.visit_id) FILTER (WHERE NOT is_bot AND NOT is_repeat AND NOT is_test AND landing_id <> '') AS clicked,
  count(*) FILTER (WHERE NOT is_bot AND NOT is_repeat AND NOT is_test AND offer_id <> ''
    AND (landing_id = '' OR c.visit_id IS NOT NULL)) AS sent,
  coalesce(sum(cost_micros) FILTER (WHERE NOT is_test), 0) AS spent,
  coalesce(sum(cost_micros) FILTER (WHERE is_bot AND NOT is_test), 0) AS bot_cost,
  count(*) FILTER (WHERE NOT is_bot AND NOT is_repeat AND NOT is_test AND cost_micros IS NULL) AS without_cost
FROM visits v LEFT JOIN clicked c ON c.day = v.day AND c.visit_id = v.id
WHERE desk_id = $1 AND v.day BETWEEN $3::date - 1 AND $4::date + 1
  AND at >= ($3::date::timestamp AT TIME ZONE $2) AND at < (($4::date + 1)::timestamp AT TIME ZONE $2)
  AND ($5 = '' OR campaign_id = $5)
GROUP BY 1, 2, 3`;

const CONVERSIONS = `
SELECT c.campaign_id, (c.visit_at AT TIME ZONE $2)::date::text AS day, c.currency, c.offer_id, c.network_id, c.event_type_id, c.status,
  (e.body->>'countsAsConversion')::boolean AS as_conversion, (e.body->>'countsAsRevenue')::boolean AS as_revenue,
  count(*) AS n, coalesce(sum(c.base_micros), 0) AS base,
  coalesce(sum(c.payout_micros) FILTER (WHERE c.base_micros IS NULL), 0) AS unconverted
FROM conversions c JOIN parts e ON e.id = c.event_type_id
WHERE c.desk_id = $1 AND NOT c.is_test
  AND c.visit_at >= ($3::date::timestamp AT TIME ZONE $2) AND c.visit_at < (($4::date + 1)::timestamp AT TIME ZONE $2)
  AND ($5 = '' OR c.campaign_id = $5)
GROUP BY 1, 2, 3, 4, 5, 6, 7, 8, 9`;

export async function campaignDays(pool: Pool, scope: Scope): Promise<CampaignDay[]> {
  const values = [scope.deskId, scope.zone, scope.from, scope.to, scope.campaignId ?? ''];
  const [visits, conversions, rates] = await Promise.all([
    pool.query<VisitRow>(VISITS, values),
    pool.query<ConversionRow>(CONVERSIONS, values),
    loadRates(pool, scope.deskId),
  ]);
  const days = new Map<string, CampaignDay>();
  const at = (campaignId: string, day: string): Sums => {
    const key = `${campaignId}|${day}`;
    let found = days.get(key);
    if (!found) {
      found = { campaignId, day, sums: { visits: { ...noVisits }, conversions: [], unconverted: [] } };
      days.set(key, found);
    }
    return found.sums;
  };
  for (const row of visits.rows) addVisits(at(row.campaign_id, row.day), row, rates, scope.currency);
  for (const row of conversions.rows) addConversions(at(row.campaign_id, row.day), row);
  return [...days.values()];
}

function addVisits(sums: Sums, row: VisitRow, rates: Rate[], currency: string): void {
  const v = sums.visits;
  v.visits += Number(row.visits);
  v.unique += Number(row.uniques);
  v.bots += Number(row.bots);
  v.repeats += Number(row.repeats);
  v.tests += Number(row.tests);
  v.sentToPage += Number(row.to_page);
  v.buttonClicks += Number(row.clicked);
  v.sentToOffer += Number(row.sent);
  v.withoutCost += Number(row.without_cost);
  const rate = rateOn(rates, row.cost_currency, currency, row.day);
  if (rate === null)
    sums.unconverted.push({ currency: row.cost_currency, spent: BigInt(row.spent), earned: 0n, onHold: 0n });
  else {
    v.spent += convert(BigInt(row.spent), rate);
    v.botCost += convert(BigInt(row.bot_cost), rate);
  }
}

function addConversions(sums: Sums, row: ConversionRow): void {
  const one: ConversionSums = {
    offerId: row.offer_id,
    networkId: row.network_id,
    eventTypeId: row.event_type_id,
    status: row.status,
    countsAsConversion: row.as_conversion,
    countsAsRevenue: row.as_revenue,
    count: Number(row.n),
    amount: BigInt(row.base),
  };
  sums.conversions.push(one);
  const amount = BigInt(row.unconverted);
  if (amount === 0n || !row.as_revenue) return;
  sums.unconverted.push({
    currency: row.currency,
    spent: 0n,
    earned: statusOf[row.status].balance === 'earn' ? amount : 0n,
    onHold: statusOf[row.status].balance === 'hold' ? amount : 0n,
  });
}

export async function loadRates(pool: Pool, deskId: string): Promise<Rate[]> {
  const { rows } = await pool.query<{ base: string; day: string; nanos: string }>(
    'SELECT base, day::text AS day, nanos FROM rates WHERE desk_id = $1',
    [deskId],
  );
  return rows.map((r) => ({ base: r.base, day: r.day, nanos: BigInt(r.nanos) }));
}

/** Approval by offer and event type over all conversions of the desk. */
export async function loadApproval(pool: Pool, deskId: string): Promise<ApprovalRate> {
  const { rows } = await pool.query<{
    offer_id: string;
    network_id: string;
    event_type_id: string;
    approved: string;
    decided: string;
  }>(
    `SELECT offer_id, network_id, event_type_id, count(*) FILTER (WHERE status = 'approved') AS approved,
       count(*) FILTER (WHERE status IN (${sqlStatuses((s) => statusOf[s].isDecided)})) AS decided
     FROM conversions WHERE desk_id = $1 AND NOT is_test GROUP BY 1, 2, 3`,
    [deskId],
  );
  return approvalRates(
    rows.map((r) => ({
      offerId: r.offer_id,
      networkId: r.network_id,
      eventTypeId: r.event_type_id,
      approved: Number(r.approved),
      decided: Number(r.decided),
    })),
  );
}
