/** What a question is answered with besides the index: the desk's zone, currency, rates, names and approval rates. */
import type { Pool } from 'pg';
import { statusOf, type ConversionStatus } from '@tracheon/core/contract';
import { dimensionText, type ApprovalRate, type Grouping } from '@tracheon/core/metrics';
import type { Micros, Rate } from '@tracheon/core/money';
import { loadApproval, loadRates } from '../reports/sums.ts';

export interface NumbersGround {
  zone: string;
  currency: string;
  rates: readonly Rate[];
  approval: ApprovalRate;
  eventTypes: ReadonlyMap<string, { asConversion: boolean; asRevenue: boolean }>;
  nameOf: (grouping: Grouping, value: string) => string;
  /** null where nothing waits for a rate. */
  unconvertedOf: (
    status: ConversionStatus,
    amount: Micros,
    asRevenue: boolean,
  ) => { earned: Micros; onHold: Micros } | null;
}

/** null when there is no such desk. */
export async function loadGround(pool: Pool, deskId: string): Promise<NumbersGround | null> {
  const [desks, parts, rates, approval] = await Promise.all([
    pool.query<{ zone: string; currency: string }>('SELECT zone, currency FROM desks WHERE id = $1', [
      deskId,
    ]),
    pool.query<{
      id: string;
      kind: string;
      name: string;
      conversion: boolean | null;
      revenue: boolean | null;
    }>(
      `SELECT id, kind, name, (body->>'countsAsConversion')::boolean AS conversion, (body->>'countsAsRevenue')::boolean AS revenue
       FROM parts WHERE desk_id = $1`,
      [deskId],
    ),
    loadRates(pool, deskId),
    loadApproval(pool, deskId),
  ]);
  const desk = desks.rows[0];
  if (!desk) return null;
  const names = new Map(parts.rows.map((p) => [p.id, p.name]));
  const types = parts.rows.filter((p) => p.kind === 'event-type');
  return {
    ...desk,
    rates,
    approval,
    eventTypes: new Map(
      types.map((p) => [p.id, { asConversion: p.conversion === true, asRevenue: p.revenue === true }]),
    ),
    nameOf: (grouping, value) =>
      grouping.kind === 'column'
        ? dimensionText(grouping.dimension, value, (id) => names.get(id) ?? '')
        : value,
    unconvertedOf: (status, amount, asRevenue) => {
      if (amount === 0n || !asRevenue) return null;
      const { balance } = statusOf[status];
      return { earned: balance === 'earn' ? amount : 0n, onHold: balance === 'hold' ? amount : 0n };
    },
  };
}
