/** Times in which one rate holds: amounts in other currencies are gathered by them, and converted as sums. */
import type { DuckDBConnection } from '@duckdb/node-api';
import { rateOn } from '@tracheon/core/money';
import { dayStart, localDay } from '@tracheon/core/time';
import type { Gathering } from './gather.ts';
import type { DeskTables } from './indexFile.ts';
import { everSeen } from './onceWritten.ts';

/** A time in which one rate holds for a currency. */
export interface Segment {
  currency: string;
  /** In ms since 1970; the second is not in it. */
  from: number;
  to: number;
  /** null: no rate was known then. */
  nanos: bigint | null;
}
/** Of amounts in the currency of the answer. */
export const OWN_SEGMENT = -1;

export const segmentOf = (segments: readonly Segment[], currency: string): string =>
  segments.length === 0
    ? String(OWN_SEGMENT)
    : `CASE ${segments
        .map(
          (s, i) =>
            `WHEN ${currency} = '${s.currency.replaceAll("'", "''")}' AND v.visit_at >= ${s.from} AND v.visit_at < ${s.to} THEN ${i}`,
        )
        .join(' ')} ELSE ${OWN_SEGMENT} END`;

/** Conversions are booked in the desk's currency, and converted by the rate of their own day. */
export function segmentOfBase({ ground }: Gathering, segments: readonly Segment[]): string {
  if (ground.currency === ground.deskCurrency) return String(OWN_SEGMENT);
  const cases = segments.flatMap((s, i) =>
    s.currency === ground.deskCurrency
      ? [`WHEN v.converted_at >= ${s.from} AND v.converted_at < ${s.to} THEN ${i}`]
      : [],
  );
  return `CASE ${cases.join(' ')} END`;
}

/** A conversion may tell a time before that of its visit. */
const KEPT_BEFORE_MS = 30 * 86_400_000;
const EVER = 8_640_000_000_000_000;
/** Amounts in other currencies are gathered by the rate that holds for them, and converted as sums. */
export async function rateSegments(
  { connection, tables, ground }: Gathering,
  fromMs: number,
): Promise<Segment[]> {
  const { rates, currency, zone } = ground;
  const ofCosts = await everSeen(tables, 'currencies', () => costCurrencies(connection, tables));
  const foreign = [...new Set([...ofCosts, ground.deskCurrency])].filter((c) => c !== currency);
  return foreign.flatMap((of) => {
    const days = [
      ...new Set(rates.filter((r) => r.base === of || r.base === currency).map((r) => r.day)),
    ].sort();
    const starts = [-EVER, ...days.map((d) => dayStart(d, zone))];
    const all = starts.map((from, i) => ({
      currency: of,
      from,
      to: starts[i + 1] ?? EVER,
      nanos: i === 0 ? null : rateOn(rates, of, currency, localDay(from, zone)),
    }));
    // Rates of long ago concern nobody. The first that is kept holds for whatever lies before it.
    const kept = all.filter((s) => s.to > fromMs - KEPT_BEFORE_MS);
    return kept.map((s, i) => (i === 0 ? { ...s, from: -EVER } : s));
  });
}

async function costCurrencies(connection: DuckDBConnection, tables: DeskTables): Promise<string[]> {
  const of = (table: string, which: 'cost' | 'set'): string =>
    `SELECT DISTINCT ${which}_currency FROM ${table} WHERE ${which}_micros IS NOT NULL`;
  const set = [of(tables.visits, 'set'), of(tables.extras, 'set')];
  const reader = await connection.runAndReadAll(
    [of(tables.visits, 'cost'), ...(tables.hasSetCosts ? set : [])].join(' UNION '),
  );
  return (reader.getRowsJS() as [string][]).map(([c]) => c);
}
