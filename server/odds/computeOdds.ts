/**
 * The odds of all automatic splits, once a minute in one of the processes. What they go by is read for 30 days back: visits of
 * real visitors by their age, and conversions with what they are expected to pay. Unchanged splits are left as they are.
 */
import type { Pool } from 'pg';
import {
  isCounted,
  sqlStatuses,
  statusOf,
  type CampaignInput,
  type ConversionStatus,
} from '@tracheon/core/contract';
import { seedOf } from '@tracheon/core/chance';
import { DELAY_HOURS, delayCurves, type ApprovalRate, type DelayCurves } from '@tracheon/core/metrics';
import { branchesOf, type Arm, type RoutedWay, type SplitOdds } from '@tracheon/core/routing';
import { dayAgo } from '../db/partitions.ts';
import { loadApproval } from './approval.ts';
import type { SplitToDraw } from './drawAll.ts';

/** Older visits say little of today's. */
const WINDOW_DAYS = 30;
const DELAY_DAYS = 90;

export interface Campaign {
  id: string;
  deskId: string;
  body: CampaignInput;
}
interface Split extends SplitToDraw {
  campaign: Campaign;
  wayId: string;
}

export async function computeOdds(
  pool: Pool,
  draw: (splits: readonly SplitToDraw[]) => Promise<SplitOdds[]>,
  now: () => number,
  onlyDesk = '',
): Promise<number> {
  const readAt = new Date(now());
  const { rows: campaigns } = await pool.query<Campaign>(
    `SELECT id, desk_id AS "deskId", body FROM parts
     WHERE kind = 'campaign' AND state = 'live' AND body->>'routing' LIKE '%"automatic"%' AND ($1 = '' OR desk_id = $1)
     ORDER BY desk_id, id`,
    [onlyDesk],
  );
  const desks = new Map<string, Ground>();
  const changed: Split[] = [];
  for (const campaign of campaigns) {
    const ground = desks.get(campaign.deskId) ?? (await loadGround(pool, campaign.deskId));
    desks.set(campaign.deskId, ground);
    changed.push(...(await splitsOf(pool, campaign, ground)));
  }
  if (changed.length === 0) return 0;
  const drawn = await draw(changed.map(({ arms, seed }) => ({ arms, seed })));
  for (const [i, odds] of drawn.entries()) await store(pool, changed[i]!, odds, readAt);
  return changed.length;
}

/** What all campaigns of a desk share. */
interface Ground {
  approval: ApprovalRate;
  curves: DelayCurves;
  /** Arms as they were computed last, by campaign and branch. */
  last: ReadonlyMap<string, string>;
}
async function loadGround(pool: Pool, deskId: string): Promise<Ground> {
  const [approval, delays, last] = await Promise.all([
    loadApproval(pool, deskId),
    // Of visits that are too young, only the quick conversions would be there.
    pool.query<{ offerId: string; networkId: string; hours: number; count: number }>(
      `SELECT offer_id AS "offerId", network_id AS "networkId", count(*)::int AS count,
         least($2::int, floor(extract(epoch FROM converted_at - visit_at) / 3600))::int AS hours
       FROM conversions WHERE desk_id = $1 AND NOT is_test AND converted_at > now() - make_interval(days => $3::int)
         AND visit_at < now() - make_interval(hours => $2::int) GROUP BY 1, 2, 4`,
      [deskId, DELAY_HOURS, DELAY_DAYS],
    ),
    pool.query<{ key: string; arms: unknown }>(
      `SELECT campaign_id || '|' || way_id AS key, arms FROM split_odds WHERE desk_id = $1`,
      [deskId],
    ),
  ]);
  return {
    approval,
    curves: delayCurves(delays.rows),
    last: new Map(last.rows.map((r) => [r.key, factsOf(r.arms as Arm[])])),
  };
}

/** What the odds are computed from, as one text. */
const factsOf = (arms: readonly Arm[]): string =>
  JSON.stringify(arms.map((a) => [a.pairingId, a.visits, a.conversions, a.expectedMicros]));

async function splitsOf(pool: Pool, campaign: Campaign, ground: Ground): Promise<Split[]> {
  const ways = branchesOf(campaign.body).filter((w) => w.split === 'automatic');
  const [arms, offers] = [await loadArms(pool, campaign, ground.approval), await networksOf(pool, campaign)];
  return ways.flatMap((way) => {
    const own = onPairings(way).map((p): Arm => {
      const [offerId = ''] = p.offerIds;
      const curve = ground.curves(offerId, offers.get(offerId) ?? '');
      const { ages, conversions, expectedMicros } = arms(p.id);
      // A visit counts by the middle of its hour; rounded, so that nothing changes while nothing happens.
      const visits = ages.reduce((sum, { hours, n }) => sum + n * curve(hours + 0.5), 0);
      return { pairingId: p.id, visits: Math.round(visits * 100) / 100, conversions, expectedMicros };
    });
    const key = `${campaign.id}|${way.id}`;
    if (own.length === 0 || ground.last.get(key) === factsOf(own)) return [];
    return [{ campaign, wayId: way.id, arms: own, seed: seedOf(`${key}|${factsOf(own)}`) }];
  });
}
const onPairings = (way: RoutedWay) => way.pairings.filter((p) => p.isOn && p.weight > 0);

async function networksOf(pool: Pool, campaign: Campaign): Promise<Map<string, string>> {
  const ids = branchesOf(campaign.body).flatMap((w) => w.pairings.flatMap((p) => p.offerIds));
  const { rows } = await pool.query<{ id: string; network: string }>(
    `SELECT id, body->>'networkId' AS network FROM parts WHERE desk_id = $1 AND id = ANY ($2)`,
    [campaign.deskId, ids],
  );
  return new Map(rows.map((r) => [r.id, r.network]));
}

interface Seen {
  ages: { hours: number; n: number }[];
  conversions: number;
  expectedMicros: number;
}
const NEVER_SEEN: Seen = { ages: [], conversions: 0, expectedMicros: 0 };

async function loadArms(
  pool: Pool,
  { id, deskId }: Campaign,
  approval: ApprovalRate,
): Promise<(pairingId: string) => Seen> {
  const [visits, conversions] = await Promise.all([
    pool.query<{ pairing_id: string; hours: number; n: number }>(
      `SELECT pairing_id, least($3::int, floor(extract(epoch FROM now() - at) / 3600))::int AS hours, count(*)::int AS n
       FROM visits WHERE desk_id = $1 AND campaign_id = $2 AND day >= $4::date
         AND fate = 'sent' AND NOT is_bot AND NOT is_repeat AND NOT is_test GROUP BY 1, 2`,
      [deskId, id, DELAY_HOURS, dayAgo(WINDOW_DAYS)],
    ),
    pool.query<{
      pairing_id: string;
      offer_id: string;
      network_id: string;
      event_type_id: string;
      status: ConversionStatus;
      as_conversion: boolean;
      as_revenue: boolean;
      n: number;
      base: string;
    }>(
      `SELECT c.pairing_id, c.offer_id, c.network_id, c.event_type_id, c.status, count(*)::int AS n,
         (e.body->>'countsAsConversion')::boolean AS as_conversion, (e.body->>'countsAsRevenue')::boolean AS as_revenue,
         coalesce(sum(c.base_micros), 0) AS base
       FROM conversions c JOIN parts e ON e.id = c.event_type_id
       WHERE c.desk_id = $1 AND c.campaign_id = $2 AND NOT c.is_test AND c.status IN (${sqlStatuses(isCounted)})
         AND c.visit_at >= (now() AT TIME ZONE 'UTC')::date - $3::int GROUP BY 1, 2, 3, 4, 5, 7, 8`,
      [deskId, id, WINDOW_DAYS],
    ),
  ]);
  const seen = new Map<string, Seen>();
  const of = (pairingId: string): Seen => {
    const found = seen.get(pairingId) ?? { ages: [], conversions: 0, expectedMicros: 0 };
    seen.set(pairingId, found);
    return found;
  };
  for (const { pairing_id, hours, n } of visits.rows) of(pairing_id).ages.push({ hours, n });
  for (const r of conversions.rows) {
    const arm = of(r.pairing_id);
    if (r.as_conversion) arm.conversions += r.n;
    if (!r.as_revenue) continue;
    const { approved, decided } = approval(r.offer_id, r.network_id, r.event_type_id);
    const share = statusOf[r.status].balance === 'earn' || decided === 0 ? 1 : approved / decided;
    arm.expectedMicros += Math.round(Number(r.base) * share);
  }
  return (pairingId) => seen.get(pairingId) ?? NEVER_SEEN;
}

/** Odds of an earlier reading never replace those of a later one: drawing takes seconds, and two processes may do it at once. */
const store = (pool: Pool, { campaign, wayId }: Split, odds: SplitOdds, at: Date): Promise<unknown> =>
  pool.query(
    `INSERT INTO split_odds (desk_id, campaign_id, way_id, computed_at, state, draws, arms) VALUES ($1, $2, $3, $4, $5, $6, $7)
     ON CONFLICT (desk_id, campaign_id, way_id) DO UPDATE SET computed_at = excluded.computed_at, state = excluded.state,
       draws = excluded.draws, arms = excluded.arms
     WHERE split_odds.computed_at <= excluded.computed_at`,
    [campaign.deskId, campaign.id, wayId, at, odds.state, odds.draws, JSON.stringify(odds.arms)],
  );
