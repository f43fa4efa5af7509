/** What a question is answered with besides the index: the desk's zone, currency, rates, and the names of its records. */
import type { Pool } from 'pg';
import { dimensionText, type Grouping } from '@tracheon/core/metrics';
import type { Rate } from '@tracheon/core/money';
import { loadRates } from '../reports/sums.ts';

export interface NumbersGround {
  zone: string;
  currency: string;
  rates: readonly Rate[];
  eventTypes: ReadonlyMap<string, { asConversion: boolean; asRevenue: boolean }>;
  nameOf: (grouping: Grouping, value: string) => string;
  /** Records of the grouping whose name has the text in it, whatever its case. */
  idsNamed: (grouping: Grouping, text: string) => string[];
}

interface PartName {
  id: string;
  kind: string;
  name: string;
  conversion: boolean | null;
  revenue: boolean | null;
}

/** null when there is no such desk. */
export async function loadGround(pool: Pool, deskId: string): Promise<NumbersGround | null> {
  const [desks, parts, rates] = await Promise.all([
    pool.query<{ zone: string; currency: string }>('SELECT zone, currency FROM desks WHERE id = $1', [
      deskId,
    ]),
    pool.query<PartName>(
      `SELECT id, kind, name, (body->>'countsAsConversion')::boolean AS conversion, (body->>'countsAsRevenue')::boolean AS revenue
       FROM parts WHERE desk_id = $1`,
      [deskId],
    ),
    loadRates(pool, deskId),
  ]);
  const desk = desks.rows[0];
  if (!desk) return null;
  const names = new Map(parts.rows.map((p) => [p.id, p.name]));
  const types = parts.rows.filter((p) => p.kind === 'event-type');
  return {
    ...desk,
    rates,
    eventTypes: new Map(
      types.map((p) => [p.id, { asConversion: p.conversion === true, asRevenue: p.revenue === true }]),
    ),
    nameOf: (grouping, value) =>
      grouping.kind === 'column'
        ? dimensionText(grouping.dimension, value, (id) => names.get(id) ?? '')
        : value,
    idsNamed: (grouping, text) =>
      grouping.kind !== 'column' || grouping.dimension.of === 'value'
        ? []
        : parts.rows.filter((p) => p.name.toLowerCase().includes(text.toLowerCase())).map((p) => p.id),
  };
}
