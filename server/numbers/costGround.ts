/** What costs are settled by, as it stands in PostgreSQL: entries of what sources billed, and what campaigns cost since when. */
import type { Pool } from 'pg';
import type { CampaignInput, EventTypeInput, SourceInput } from '@tracheon/core/contract';
import { costTerms, isByConversions, type CostEntry, type CostTerm } from '@tracheon/core/costs';

/** In ms since 1970; the second is not in it. */
export interface Stretch {
  from: number;
  to: number;
}
export interface CampaignCosts {
  id: string;
  /** All that it ever ran at. */
  sourceIds: readonly string[];
  terms: CostTerm[];
}
export interface CostGround {
  zone: string;
  currency: string;
  /** By source: when entries are, merged. */
  entered: ReadonlyMap<string, readonly Stretch[]>;
  /** Campaigns some of whose costs visits were not stored with. */
  campaigns: ReadonlyMap<string, CampaignCosts>;
  sources: ReadonlyMap<string, { feePercent: bigint; billedPerArrived: bigint }>;
  eventTypes: ReadonlyMap<string, EventTypeInput>;
}

/** null when there is no such desk. */
export async function loadCostGround(pool: Pool, deskId: string): Promise<CostGround | null> {
  const [desks, parts, versions, entries] = await Promise.all([
    pool.query<{ zone: string; currency: string }>('SELECT zone, currency FROM desks WHERE id = $1', [
      deskId,
    ]),
    pool.query<{ id: string; kind: string; body: Record<string, never> }>(
      `SELECT id, kind, body FROM parts WHERE desk_id = $1 AND kind IN ('campaign', 'source', 'event-type')`,
      [deskId],
    ),
    // Only of campaigns that ever had such a cost.
    pool.query<{ id: string; at: number; body: CampaignInput }>(
      `SELECT v.part_id AS id, (extract(epoch FROM v.changed_at) * 1000)::float8 AS at, v.body FROM part_versions v
       WHERE v.desk_id = $1 AND v.part_id IN (SELECT part_id FROM part_versions WHERE desk_id = $1
         AND (body->>'costModel' IN ('thousand', 'conversion', 'share') OR coalesce(body->>'costSince', '') <> ''))
       ORDER BY v.part_id, v.version`,
      [deskId],
    ),
    pool.query<{ source_id: string; from: number; to: number }>(
      `SELECT e.source_id, (extract(epoch FROM e.from_at) * 1000)::float8 AS from, (extract(epoch FROM e.to_at) * 1000)::float8 AS to
       FROM cost_entries e JOIN cost_loads l ON l.id = e.load_id
       WHERE e.desk_id = $1 AND l.state = 'done' GROUP BY 1, 2, 3 ORDER BY 1, 2, 3`,
      [deskId],
    ),
  ]);
  const desk = desks.rows[0];
  if (!desk) return null;
  const bodies = <T>(kind: string): (readonly [string, T])[] =>
    parts.rows.filter((p) => p.kind === kind).map((p) => [p.id, p.body as unknown as T] as const);
  return {
    ...desk,
    entered: merged(entries.rows),
    campaigns: campaignCosts(versions.rows, new Map(bodies<CampaignInput>('campaign')), desk.zone),
    sources: new Map(
      bodies<SourceInput>('source').map(([id, s]) => [
        id,
        {
          feePercent: BigInt(s.feePercent ?? '0'),
          billedPerArrived: BigInt(s.billedPerArrived ?? '1000000'),
        },
      ]),
    ),
    eventTypes: new Map(bodies<EventTypeInput>('event-type')),
  };
}

function merged(rows: readonly (Stretch & { source_id: string })[]): Map<string, Stretch[]> {
  const all = new Map<string, Stretch[]>();
  for (const { source_id, from, to } of rows) {
    const own = all.get(source_id) ?? [];
    all.set(source_id, own);
    const last = own.at(-1);
    if (last && from <= last.to) last.to = Math.max(last.to, to);
    else own.push({ from, to });
  }
  return all;
}

function campaignCosts(
  versions: readonly { id: string; at: number; body: CampaignInput }[],
  now: ReadonlyMap<string, CampaignInput>,
  zone: string,
): Map<string, CampaignCosts> {
  const all = new Map<string, CampaignCosts>();
  for (const id of new Set(versions.map((v) => v.id))) {
    if (!now.has(id)) continue;
    const of = versions.filter((v) => v.id === id);
    const own = of.map((v) => ({ savedAt: v.at, body: wholeCost(v.body) }));
    const sourceIds = [...new Set(of.map((v) => v.body.sourceId))];
    all.set(id, { id, sourceIds, terms: costTerms(own, zone).filter((t) => t.isLater || isDerived(t)) });
  }
  return all;
}

/** Visits are stored before anything of such a cost is known. */
const isDerived = ({ model }: CostTerm): boolean => isByConversions(model) || model === 'thousand';

/** Versions that are older than some of these fields. */
const wholeCost = (body: Partial<CampaignInput>) => ({
  costModel: body.costModel ?? 'none',
  costMicros: body.costMicros ?? '',
  costCurrency: body.costCurrency ?? 'EUR',
  costShare: body.costShare ?? '0',
  costEventTypeId: body.costEventTypeId ?? '',
  costSince: body.costSince ?? '',
});

interface EntryRow {
  load_id: string;
  n: string;
  kind: 'hand' | 'file' | 'feed';
  campaign_id: string;
  account_id: string;
  subs: Record<string, string>;
  from: number;
  to: number;
  is_credit: boolean;
  amount_micros: string;
  currency: string;
  fee_percent: string;
}

/** Entries of a source that reach into the stretch. */
export async function entriesWithin(
  pool: Pool,
  deskId: string,
  sourceId: string,
  { from, to }: Stretch,
): Promise<CostEntry[]> {
  const { rows } = await pool.query<EntryRow>(
    `SELECT e.load_id, e.n, l.kind, e.campaign_id, e.account_id, e.subs, e.is_credit, e.amount_micros, e.currency, e.fee_percent,
       (extract(epoch FROM e.from_at) * 1000)::float8 AS from, (extract(epoch FROM e.to_at) * 1000)::float8 AS to
     FROM cost_entries e JOIN cost_loads l ON l.id = e.load_id
     WHERE e.desk_id = $1 AND e.source_id = $2 AND l.state = 'done'
       AND e.from_at < to_timestamp($4::float8 / 1000) AND e.to_at > to_timestamp($3::float8 / 1000)`,
    [deskId, sourceId, from, to],
  );
  return rows.map((r) => ({
    id: `${r.load_id}/${r.n}`,
    channel: r.kind === 'feed' ? 'feed' : 'file',
    amount: BigInt(r.amount_micros),
    isCredit: r.is_credit,
    currency: r.currency,
    feePercent: BigInt(r.fee_percent),
    from: r.from,
    to: r.to,
    order: Number(r.n),
    campaignId: r.campaign_id,
    accountId: r.account_id,
    subs: r.subs,
  }));
}

/** Impressions of campaigns, by the quarter of an hour. */
export async function impressionsWithin(
  pool: Pool,
  deskId: string,
  campaignIds: readonly string[],
  { from, to }: Stretch,
): Promise<{ campaignId: string; at: number; times: number }[]> {
  if (campaignIds.length === 0) return [];
  const { rows } = await pool.query<{ campaignId: string; at: number; times: number }>(
    `SELECT campaign_id AS "campaignId", (extract(epoch FROM quarter) * 1000)::float8 AS at, sum(times)::float8 AS times
     FROM impressions WHERE desk_id = $1 AND campaign_id = ANY ($2) AND sub = ''
       AND quarter >= to_timestamp($3::float8 / 1000) AND quarter < to_timestamp($4::float8 / 1000) GROUP BY 1, 2`,
    [deskId, campaignIds, from, to],
  );
  return rows;
}

/** Where costs have changed: by the loads and the campaigns that `subjects` names. */
export async function changedStretches(
  pool: Pool,
  deskId: string,
  subjects: readonly string[],
): Promise<(Stretch & { sourceId: string })[]> {
  if (subjects.length === 0) return [];
  const { rows } = await pool.query<Stretch & { sourceId: string }>(
    `SELECT source_id AS "sourceId", (extract(epoch FROM min(from_at)) * 1000)::float8 AS from,
       (extract(epoch FROM max(to_at)) * 1000)::float8 AS to
     FROM cost_entries WHERE desk_id = $1 AND load_id = ANY ($2) GROUP BY 1`,
    [deskId, subjects],
  );
  return rows;
}
