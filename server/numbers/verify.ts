/** Compares the index with sums computed in PostgreSQL, up to the same transaction; conversions once the feed is drained. */
import type { DuckDBConnection } from '@duckdb/node-api';
import type { Pool } from 'pg';
import { FLAGS } from './flags.ts';
import type { DeskTables, IndexFile } from './indexFile.ts';
import { rowsOf } from './sums.ts';

export interface Difference {
  deskId: string;
  what: string;
  inDatabase: string;
  inIndex: string;
}

/** What is summed → its sum: two numbers for visits, how many and what they cost. */
export type SumsByName = Map<string, string>;
interface Sum {
  desk_id: string;
  what: string;
  sum: string;
}
const keyOf = ({ desk_id: deskId, what }: Pick<Sum, 'desk_id' | 'what'>): string => `${deskId}|${what}`;

/** The index keeps being fed meanwhile: it is read first, as it stands at one moment, then PostgreSQL up to that moment. */
export async function verify(pool: Pool, index: IndexFile): Promise<Difference[]> {
  const { cursor, here } = await inIndex(index);
  return differences(await inDatabase(pool, cursor), here);
}

export const differences = (there: SumsByName, here: SumsByName): Difference[] =>
  [...new Set([...there.keys(), ...here.keys()])].flatMap((key) => {
    const [inDatabase, inIndex] = [there.get(key) ?? 'none', here.get(key) ?? 'none'];
    const [deskId = '', what = ''] = key.split('|');
    return inDatabase === inIndex ? [] : [{ deskId, what, inDatabase, inIndex }];
  });

async function inDatabase(pool: Pool, cursor: string): Promise<SumsByName> {
  const all = await visitsInDatabase(pool, cursor);
  const { rows } = await pool.query<Sum>(
    `SELECT desk_id, concat_ws(' ', 'conversions', event_type_id, status, currency) AS what,
       concat_ws(' ', count(*), sum(payout_micros), coalesce(sum(base_micros), 0), coalesce(sum(partner_base_micros), 0)) AS sum
     FROM conversions WHERE NOT is_test GROUP BY desk_id, event_type_id, status, currency`,
  );
  for (const row of rows) all.set(keyOf(row), row.sum);
  return all;
}

/** Visits of transactions before the cursor, and those of sealed days; `day`: of this one alone. */
export async function visitsInDatabase(pool: Pool, cursor: string, day?: string): Promise<SumsByName> {
  const of = day === undefined ? [] : [day];
  const { rows } = await pool.query<Sum>(
    `SELECT desk_id, 'visits of ' || day || ' ' || concat_ws('/', is_bot, is_repeat, is_test, is_unique, cost_currency) AS what,
       concat_ws(' ', count(*), coalesce(sum(cost_micros), 0)) AS sum
     FROM visits WHERE tx < $1::xid8 ${day === undefined ? '' : 'AND day = $2::date'}
     GROUP BY desk_id, day, is_bot, is_repeat, is_test, is_unique, cost_currency
     UNION ALL
     SELECT desk_id, key, value FROM sealed_days, jsonb_each_text(sums) ${day === undefined ? '' : 'WHERE day = $2::date'}`,
    [cursor, ...of],
  );
  const all: SumsByName = new Map();
  for (const row of rows) {
    const before = all.get(keyOf(row));
    all.set(keyOf(row), before === undefined ? row.sum : together(before, row.sum));
  }
  return all;
}

/** Of a day that was sealed, and of rows that came to it later. */
const together = (a: string, b: string): string => {
  const others = b.split(' ');
  return a
    .split(' ')
    .map((n, i) => String(BigInt(n) + BigInt(others[i]!)))
    .join(' ');
};

const DAY_MS = 86_400_000;
/** SQL: visits whose click ID is of this day, in UTC. */
export const ofDay = (day: string, table = ''): string =>
  `${table}id_ms >= ${Date.parse(day)} AND ${table}id_ms < ${Date.parse(day) + DAY_MS}`;
const told = [FLAGS.bot, FLAGS.repeat, FLAGS.test, FLAGS.unique]
  .map((f) => `CASE WHEN flags & ${f} = 0 THEN 'f' ELSE 't' END`)
  .join(', ');
const VISIT_SUMS = `'visits of ' || strftime(make_timestamp(id_ms * 1000), '%Y-%m-%d') || ' ' || concat_ws('/', ${told}, cost_currency) AS what,
  concat_ws(' ', count(*)::VARCHAR, coalesce(sum(cost_micros), 0)::VARCHAR) AS sum`;

export async function visitsInIndex(
  connection: DuckDBConnection,
  { visits }: Pick<DeskTables, 'visits'>,
  day?: string,
): Promise<SumsByName> {
  const rows = await rowsOf<{ what: string; sum: string }>(
    connection,
    `SELECT ${VISIT_SUMS} FROM ${visits} ${day === undefined ? '' : `WHERE ${ofDay(day)}`} GROUP BY 1`,
  );
  return new Map(rows.map((r) => [r.what, r.sum]));
}

async function inIndex(index: IndexFile): Promise<{ cursor: string; here: SumsByName }> {
  const connection = await index.connect();
  try {
    await connection.run('BEGIN');
    const [meta] = await rowsOf<{ value: string }>(connection, `SELECT value FROM meta WHERE key = 'cursor'`);
    const here: SumsByName = new Map();
    for (const deskId of index.deskIds) {
      const tables = index.tablesOf(deskId)!;
      const conversions = await rowsOf<{ what: string; sum: string }>(
        connection,
        `SELECT concat_ws(' ', 'conversions', event_type_id, status, currency) AS what,
           concat_ws(' ', count(*)::VARCHAR, sum(payout_micros)::VARCHAR, coalesce(sum(base_micros), 0)::VARCHAR,
             coalesce(sum(partner_micros), 0)::VARCHAR) AS sum
         FROM ${tables.conversions} GROUP BY 1`,
      );
      for (const [what, sum] of await visitsInIndex(connection, tables))
        here.set(keyOf({ desk_id: deskId, what }), sum);
      for (const { what, sum } of conversions) here.set(keyOf({ desk_id: deskId, what }), sum);
    }
    await connection.run('COMMIT');
    return { cursor: meta!.value, here };
  } finally {
    connection.closeSync();
  }
}
