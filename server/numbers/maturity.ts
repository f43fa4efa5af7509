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
  const curves = delayCurves(await delaysUntil(connection, tables, nowMs));
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

interface Delays {
  offerId: string;
  networkId: string;
  hours: number;
  count: number;
}
/** How long conversions take does not change from one minute to the next. */
const SAME_MS = 600_000;
const FOUND = 'delays';

async function delaysUntil(
  connection: DuckDBConnection,
  { conversions, found }: DeskTables,
  nowMs: number,
): Promise<Delays[]> {
  const untilMs = Math.floor(nowMs / SAME_MS) * SAME_MS;
  const there = found.get(FOUND) as { untilMs: number; rows: Delays[] } | undefined;
  if (there?.untilMs === untilMs) return there.rows;
  // Of visits that are too young, only the quick conversions would be there.
  const rows = await rowsOf<Delays>(
    connection,
    `SELECT offer_id AS "offerId", network_id AS "networkId", count(*)::DOUBLE AS count,
       least(${DELAY_HOURS}, (converted_at - visit_at) // ${HOUR_MS})::DOUBLE AS hours
     FROM ${conversions} WHERE converted_at > ${untilMs - DELAY_DAYS * 24 * HOUR_MS}
       AND visit_at < ${untilMs - DELAY_HOURS * HOUR_MS} GROUP BY ALL`,
  );
  found.set(FOUND, { untilMs, rows });
  return rows;
}
