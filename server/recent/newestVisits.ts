/**
 * The newest visits of some campaigns, at most ten thousand: the one place from which screens learn what came of late. Bots,
 * repeats and tests are left out. The numbers index takes its place later.
 */
import type { Pool } from 'pg';
import { isCounted, MAX_RECENT_VISITS, sqlStatuses } from '@tracheon/core/contract';
import { formatAmount } from '@tracheon/core/money';
import {
  conditionField,
  conditionFields,
  NO,
  subOf,
  visitColumns,
  YES,
  type VisitField,
} from '@tracheon/core/visits';

export interface Asked {
  deskId: string;
  campaignIds: readonly string[];
  zone: string;
  /** First and last day in that zone, both included. */
  from: string;
  to: string;
}

const REAL = 'NOT v.is_bot AND NOT v.is_repeat AND NOT v.is_test';
// The partition key is the click ID's UTC day; a local day reaches at most one UTC day to either side.
const OF_PERIOD = `v.desk_id = $1 AND v.campaign_id = ANY ($2) AND ${REAL}
  AND v.day BETWEEN $4::date - 1 AND $5::date + 1
  AND v.at >= ($4::date::timestamp AT TIME ZONE $3) AND v.at < (($5::date + 1)::timestamp AT TIME ZONE $3)`;
const parameters = ({ deskId, campaignIds, zone, from, to }: Asked): unknown[] => [
  deskId,
  campaignIds,
  zone,
  from,
  to,
  MAX_RECENT_VISITS,
];

export interface WayRow {
  branchId: string;
  pairingId: string;
  landingId: string;
  offerId: string;
  fate: string;
  visits: number;
  clicked: number;
  converted: number;
}
export async function newestWays(pool: Pool, asked: Asked): Promise<WayRow[]> {
  const { rows } = await pool.query<WayRow>(
    `WITH newest AS (SELECT v.id, v.day, v.branch_id, v.pairing_id, v.landing_id, v.offer_id, v.fate
       FROM visits v WHERE ${OF_PERIOD} ORDER BY v.at DESC LIMIT $6)
     SELECT branch_id AS "branchId", pairing_id AS "pairingId", landing_id AS "landingId", offer_id AS "offerId", fate,
       count(*)::int AS visits,
       count(*) FILTER (WHERE EXISTS (SELECT FROM button_clicks b
         WHERE b.desk_id = $1 AND b.day = n.day AND b.visit_id = n.id))::int AS clicked,
       count(*) FILTER (WHERE EXISTS (SELECT FROM conversions c JOIN parts e ON e.id = c.event_type_id
         WHERE c.desk_id = $1 AND c.owner = n.id AND NOT c.is_test AND c.status IN (${sqlStatuses(isCounted)})
           AND (e.body->>'countsAsConversion')::boolean))::int AS converted
     FROM newest n GROUP BY 1, 2, 3, 4, 5 ORDER BY visits DESC`,
    parameters(asked),
  );
  return rows;
}

/** Fields that a stored visit tells. */
export const storedFields = conditionFields.filter((f) => f.field !== undefined);

export interface NewestVisit {
  atMs: number;
  /** As conditions compare it; empty: unknown. */
  value: (field: string) => string;
  /** Decimal; empty: not known. */
  cost: string;
  costCurrency: string;
  subs: Record<string, string>;
}

const columnOf = (field: VisitField): string => visitColumns[field].name;
const SELECTED = storedFields.map((f) => `v.${columnOf(f.field!)}`).join(', ');

export async function newestVisits(pool: Pool, asked: Asked): Promise<NewestVisit[]> {
  const { rows } = await pool.query<Record<string, unknown>>(
    `SELECT ${SELECTED}, v.at, v.subs, v.address_prefix, v.cost_currency FROM visits v
     WHERE ${OF_PERIOD} ORDER BY v.at DESC LIMIT $6`,
    parameters(asked),
  );
  return rows.map((row) => {
    const subs = row.subs as Record<string, string>;
    const cost = row.cost_micros === null ? '' : formatAmount(BigInt(row.cost_micros as string));
    return {
      atMs: (row.at as Date).getTime(),
      subs,
      cost,
      costCurrency: row.cost_currency as string,
      value: (name) => {
        const sub = subOf(name);
        if (sub !== null) return Object.hasOwn(subs, sub) ? subs[sub]! : '';
        // Full addresses lie apart and expire.
        if (name === 'address') return String(row.address_prefix).split('/')[0]!;
        const field = conditionField(name);
        if (field?.field === undefined) return '';
        const value = row[columnOf(field.field)];
        if (field.kind === 'amount') return cost;
        return typeof value === 'boolean' ? (value ? YES : NO) : String(value);
      },
    };
  });
}
