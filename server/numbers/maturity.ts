/** Which visits are old enough for a verdict: of each offer, those within whose age most of its conversions come. */
import type { DuckDBConnection } from '@duckdb/node-api';
import { DELAY_HOURS, delayCurves, settledHours } from '@tracheon/core/metrics';
import type { NumbersGround } from './ground.ts';
import type { DeskTables } from './indexFile.ts';
import { rowsOf } from './sums.ts';

const HOUR_MS = 3_600_000;
const DELAY_DAYS = 90;

export interface Maturity {
  /** Whether a visit `v` is too young, as SQL. */
  isYoung: string;
  /** Visits before then are not, whatever their offer. */
  youngFromMs: number;
  /** The shortest and the longest age of any offer, in hours. */
  hours: { least: number; most: number };
}
export const noMaturity = 'false';

export async function loadMaturity(
  connection: DuckDBConnection,
  tables: DeskTables,
  ground: NumbersGround,
  nowMs: number,
): Promise<Maturity> {
  // Of visits that are too young, only the quick conversions would be there.
  const rows = await rowsOf<{ offerId: string; networkId: string; hours: number; count: number }>(
    connection,
    `SELECT offer_id AS "offerId", network_id AS "networkId", count(*)::DOUBLE AS count,
       least(${DELAY_HOURS}, (converted_at - visit_at) // ${HOUR_MS})::DOUBLE AS hours
     FROM ${tables.conversions} WHERE converted_at > ${nowMs - DELAY_DAYS * 24 * HOUR_MS}
       AND visit_at < ${nowMs - DELAY_HOURS * HOUR_MS} GROUP BY ALL`,
  );
  const curves = delayCurves(rows);
  const others = settledHours(curves('', ''));
  const own = ground.offers.map(({ id, networkId }) => ({ id, hours: settledHours(curves(id, networkId)) }));
  const all = own.length === 0 ? [others] : own.map((o) => o.hours);
  const hours = { least: Math.min(...all), most: Math.max(...all) };
  const since = (h: number): number => nowMs - h * HOUR_MS;
  const differing = own.filter((o) => o.hours !== others);
  const perOffer = differing
    .map((o) => `WHEN v.offer_id = '${o.id.replaceAll("'", "''")}' THEN v.visit_at >= ${since(o.hours)}`)
    .join(' ');
  // Nearly all visits are older than any offer asks for, and are told apart by that alone.
  const oldest = since(Math.max(others, hours.most));
  return {
    isYoung: `CASE WHEN v.visit_at < ${oldest} THEN false ${perOffer} ELSE v.visit_at >= ${since(others)} END`,
    youngFromMs: oldest,
    hours,
  };
}
