/** What visits of a source cost by their campaign's model, where that is known only after the visit: temporary tables of it. */
import type { DuckDBConnection } from '@duckdb/node-api';
import { isCounted, type ConversionStatus } from '@tracheon/core/contract';
import { costOfConversion, withFee } from '@tracheon/core/costs';
import { FIRST_MS, LAST_MS } from './costEntries.ts';
import type { CampaignCosts, CostGround, Stretch } from './costGround.ts';
import { fillTable } from './fillTable.ts';
import { clickNumbers } from './clickNumbers.ts';
import { FLAGS } from './flags.ts';
import type { DeskTables } from './indexFile.ts';
import { rowsOf } from './sums.ts';
import { termAt } from './unsettled.ts';

const ONE = 1_000_000n;
/** Of ours; a carried-over click of an earlier tracker has no visit. */
const CLICK_ID = /^[0-9A-HJKMNP-TV-Z]{26}$/;

/** Of a sealed visit, its cost is what its model came to on the day that it was sealed. */
const isOwn = `v.flags & ${FLAGS.link + FLAGS.sealed} <> 0 OR t.model IS NULL`;
/** SQL over a visit `v`, once `fillModelCosts` has made its tables. */
export const MODEL_COST = {
  micros: `CASE WHEN ${isOwn} THEN v.cost_micros WHEN t.model = 'visit' THEN t.micros
    WHEN t.model IN ('conversion', 'share') THEN coalesce(p.micros, 0) ELSE v.cost_micros END`,
  currency: `CASE WHEN ${isOwn} THEN v.cost_currency WHEN t.model = 'visit' THEN t.currency
    WHEN t.model IN ('conversion', 'share') THEN coalesce(p.currency, t.currency) ELSE v.cost_currency END`,
  joins: `LEFT JOIN terms t ON t.campaign_id = v.campaign_id AND v.visit_at >= t.since AND v.visit_at < t.until
    LEFT JOIN paid p ON p.ms = v.id_ms AND p.a = v.id_a AND p.b = v.id_b AND p.c = v.id_c`,
};

/** Of a source, in a stretch of time. */
export interface CostPlace extends Stretch {
  sourceId: string;
}

/** Makes `terms`, what each campaign costs since when, and `paid`, what single visits cost for their conversions. */
export async function fillModelCosts(
  db: DuckDBConnection,
  tables: DeskTables,
  ground: CostGround,
  of: CostPlace,
): Promise<void> {
  const campaigns = [...ground.campaigns.values()].filter((c) => c.sourceIds.includes(of.sourceId));
  await fillTerms(db, ground, campaigns, of.sourceId);
  await fillPaid(db, ground, await paidConversions(db, tables, campaigns, of), of.sourceId);
}

async function fillTerms(
  db: DuckDBConnection,
  ground: CostGround,
  campaigns: readonly CampaignCosts[],
  sourceId: string,
): Promise<void> {
  const { feePercent, billedPerArrived } = ground.sources.get(sourceId) ?? {
    feePercent: 0n,
    billedPerArrived: ONE,
  };
  const rows = campaigns.flatMap((c) =>
    c.terms.map((t) => [
      c.id,
      BigInt(Math.max(t.from, FIRST_MS)),
      BigInt(Math.min(t.to, LAST_MS)),
      t.model,
      // Each visit that arrives was billed so many times; what is paid by results is not.
      withFee(
        t.model === 'visit' ? (2n * t.micros * billedPerArrived + ONE) / (2n * ONE) : t.micros,
        feePercent,
      ),
      t.currency,
    ]),
  );
  const columns = {
    campaign_id: 'VARCHAR',
    since: 'BIGINT',
    until: 'BIGINT',
    model: 'VARCHAR',
    micros: 'BIGINT',
    currency: 'VARCHAR',
  } as const;
  await fillTable(db, 'terms', columns, rows);
}

interface PaidConversion {
  campaign: string;
  click: string;
  at: number;
  type: string;
  status: ConversionStatus;
  currency: string;
  payout: string;
  base: string | null;
}
async function paidConversions(
  db: DuckDBConnection,
  tables: DeskTables,
  campaigns: readonly CampaignCosts[],
  { sourceId, from, to }: CostPlace,
): Promise<PaidConversion[]> {
  if (!campaigns.some((c) => c.terms.some((t) => t.model === 'conversion' || t.model === 'share'))) return [];
  return rowsOf<PaidConversion>(
    db,
    `SELECT campaign_id AS campaign, click_id AS click, visit_at::DOUBLE AS at, event_type_id AS type, status, currency,
       payout_micros::VARCHAR AS payout, base_micros::VARCHAR AS base
     FROM ${tables.conversions} WHERE source_id = $1 AND visit_at >= ${from} AND visit_at < ${to} ORDER BY id`,
    [sourceId],
  );
}

async function fillPaid(
  db: DuckDBConnection,
  ground: CostGround,
  conversions: readonly PaidConversion[],
  sourceId: string,
): Promise<void> {
  const paid = new Map<string, { micros: bigint; currency: string }>();
  for (const c of conversions) {
    const term = termAt(ground.campaigns.get(c.campaign), c.at);
    const type = ground.eventTypes.get(c.type);
    if (!term || !type || !CLICK_ID.test(c.click)) continue;
    const converted = c.base !== null;
    const micros = costOfConversion(term, {
      eventTypeId: c.type,
      countsAsConversion: type.countsAsConversion,
      countsAsRevenue: type.countsAsRevenue,
      isCounted: isCounted(c.status),
      amount: BigInt(c.base ?? c.payout),
    });
    if (micros === 0n) continue;
    const currency = term.model === 'conversion' ? term.currency : converted ? ground.currency : c.currency;
    const before = paid.get(c.click);
    // A share of revenues in several currencies without a rate: those of the first one.
    if (before && before.currency !== currency) continue;
    paid.set(c.click, { micros: (before?.micros ?? 0n) + micros, currency });
  }
  const fee = ground.sources.get(sourceId)?.feePercent ?? 0n;
  const columns = {
    ms: 'BIGINT',
    a: 'INTEGER',
    b: 'INTEGER',
    c: 'INTEGER',
    micros: 'BIGINT',
    currency: 'VARCHAR',
  } as const;
  await fillTable(
    db,
    'paid',
    columns,
    [...paid].map(([click, { micros, currency }]) => {
      const [ms, a, b, c] = clickNumbers(click);
      return [BigInt(ms), a, b, c, withFee(micros, fee), currency];
    }),
  );
}
