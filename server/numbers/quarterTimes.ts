/** Local times of quarters of an hour, as a temporary table that visits and conversions are joined with. */
import type { DuckDBConnection } from '@duckdb/node-api';
import { LRUCache } from 'lru-cache';
import { timeValues, type TimeGrouping } from '@tracheon/core/metrics';
import { QUARTER_MS } from './quarters.ts';

/** All between the first and the last one: finding out in which of them something happened takes longer than more of them do. */
export async function quartersIn(
  connection: DuckDBConnection,
  fromMs: number,
  toMs: number,
  places: readonly (readonly [table: string, time: string])[],
): Promise<number[]> {
  const ends = places.map(
    ([table, time]) =>
      `SELECT min(${time}) AS first, max(${time}) AS last FROM ${table} WHERE ${time} >= ${fromMs} AND ${time} < ${toMs}`,
  );
  const reader = await connection.runAndReadAll(
    `SELECT min(first)::DOUBLE, max(last)::DOUBLE FROM (${ends.join(' UNION ALL ')})`,
  );
  const [[first, last]] = reader.getRowsJS() as [[number | null, number | null]];
  if (first === null || last === null) return [];
  const from = Math.floor(first / QUARTER_MS);
  return Array.from({ length: Math.floor(last / QUARTER_MS) - from + 1 }, (_, i) => from + i);
}

export async function writeQuarters(
  connection: DuckDBConnection,
  table: string,
  { times, quarters, zone }: { times: readonly TimeGrouping[]; quarters: readonly number[]; zone: string },
): Promise<void> {
  await connection.run(
    `CREATE TEMP TABLE ${table} (quarter INTEGER, ${times.map((t) => `${t} VARCHAR`).join(', ')})`,
  );
  const appender = await connection.createAppender(table);
  for (const quarter of quarters) {
    appender.appendInteger(quarter);
    for (const time of times) appender.appendVarchar(known(quarter, zone, time));
    appender.endRow();
  }
  appender.closeSync();
}

/** A year of quarters of a few zones; a calendar is asked once for each. */
const remembered = new LRUCache<string, Map<number, string>>({ max: 20 });
const MOST_QUARTERS = 40_000;
function known(quarter: number, zone: string, time: TimeGrouping): string {
  const key = `${zone}|${time}`;
  let of = remembered.get(key);
  if (!of || of.size > MOST_QUARTERS) remembered.set(key, (of = new Map()));
  let value = of.get(quarter);
  if (value === undefined) of.set(quarter, (value = timeValues(quarter, zone, [time])[0]!));
  return value;
}
