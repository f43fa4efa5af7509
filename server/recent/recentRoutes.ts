/** Ways, values and mix of a campaign's newest visits. */
import type { Pool } from 'pg';
import {
  MAX_RECENT_VALUES,
  MAX_RECENT_VISITS,
  type CampaignInput,
  type RecentMix,
  type RecentValues,
  type RecentWay,
} from '@tracheon/core/contract';
import { localDay, periodDays } from '@tracheon/core/time';
import { deskOf } from '../accounts/deskOf.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { findPart } from '../parts/partRecords.ts';
import { newestVisits, newestWays, storedFields, type Asked, type NewestVisit } from './newestVisits.ts';

/** Fields of few values, or of values that a buyer would type; money and flags are not chosen from a list. */
const LISTED = storedFields.filter((f) => f.kind === 'text' || f.kind === 'version').map((f) => f.name);

export interface RecentDeps {
  now: () => number;
  /** Offers of the desk that a cap keeps visitors from, as this server has counted last. */
  cappedOffers: (deskId: string) => string[];
}

export function recentRoutes(
  mount: Mount,
  { models, pool, now, cappedOffers }: ApiGround & RecentDeps,
): void {
  const asked = async (deskId: string, id: string, days: { from?: string; to?: string } = {}) => {
    const [{ zone }, campaign] = await Promise.all([
      deskOf(models, deskId),
      findPart(models, deskId, 'campaign', id),
    ]);
    const last = periodDays('7d', localDay(now(), zone));
    const { from = last.from, to = last.to } = days;
    return { campaign, of: { deskId, campaignIds: [id], zone, from, to } satisfies Asked };
  };
  mount('recentCampaign', async ({ signed, id, query }) => {
    const days = { ...(query.from ? { from: query.from } : {}), ...(query.to ? { to: query.to } : {}) };
    const { of } = await asked(signed.deskId, id, days);
    const ways = (await newestWays(pool, of)) as RecentWay[];
    const visits = ways.reduce((sum, w) => sum + w.visits, 0);
    return { visits, isCut: visits >= MAX_RECENT_VISITS, ways, cappedOfferIds: cappedOffers(signed.deskId) };
  });
  mount('recentValues', async ({ signed, id }): Promise<RecentValues> => {
    const { of, campaign } = await asked(signed.deskId, id);
    const own = await newestVisits(pool, of);
    if (own.length > 0) return { isOfSource: false, fields: valuesOf(own) };
    const campaignIds = await campaignsOfSource(
      pool,
      signed.deskId,
      (campaign.body as CampaignInput).sourceId,
    );
    return { isOfSource: true, fields: valuesOf(await newestVisits(pool, { ...of, campaignIds })) };
  });
  mount('recentMix', async ({ signed, id, query }) => {
    const { of } = await asked(signed.deskId, id);
    return mixOf(await newestVisits(pool, of), query.fields);
  });
}

async function campaignsOfSource(pool: Pool, deskId: string, sourceId: string): Promise<string[]> {
  const { rows } = await pool.query<{ id: string }>(
    `SELECT id FROM parts WHERE desk_id = $1 AND kind = 'campaign' AND body->>'sourceId' = $2`,
    [deskId, sourceId],
  );
  return rows.map((r) => r.id);
}

function valuesOf(visits: readonly NewestVisit[]): RecentValues['fields'] {
  const subs = new Set(visits.flatMap((v) => Object.keys(v.subs)));
  const fields = [...LISTED, ...[...subs].map((name) => `sub_${name}`)];
  return fields.flatMap((field) => {
    const counts = new Map<string, number>();
    for (const visit of visits) {
      const value = visit.value(field);
      counts.set(value, (counts.get(value) ?? 0) + 1);
    }
    const sorted = [...counts].sort(([a, n], [b, m]) => m - n || (a < b ? -1 : 1));
    // A field that nothing tells anything about is not worth a list.
    if (sorted.every(([value]) => value === '')) return [];
    return [
      { field, values: sorted.slice(0, MAX_RECENT_VALUES).map(([value, n]) => ({ value, visits: n })) },
    ];
  });
}

/** Each value once, and for each visit its place. */
function column(visits: readonly NewestVisit[], valueOf: (visit: NewestVisit) => string) {
  const places = new Map<string, number>();
  const rows = visits.map((visit) => {
    const value = valueOf(visit);
    let place = places.get(value);
    if (place === undefined) places.set(value, (place = places.size));
    return place;
  });
  return { values: [...places.keys()], rows };
}

function mixOf(visits: readonly NewestVisit[], fields: readonly string[]): RecentMix {
  const currency = visits.find((v) => v.cost !== '')?.costCurrency ?? '';
  return {
    at: visits.map((v) => v.atMs),
    columns: fields.map((field) => ({ field, ...column(visits, (v) => v.value(field)) })),
    costs: { currency, ...column(visits, (v) => (v.costCurrency === currency ? v.cost : '')) },
  };
}
