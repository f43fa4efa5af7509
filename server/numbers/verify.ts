/** Compares the index with sums computed in PostgreSQL, up to the same transaction; conversions once the feed is drained. */
import type { Pool } from 'pg';
import { FLAGS, type IndexFile } from './indexFile.ts';
import { rowsOf } from './sums.ts';

export interface Difference {
  deskId: string;
  what: string;
  inDatabase: string;
  inIndex: string;
}

interface Sum {
  desk_id: string;
  what: string;
  sum: string;
}

/** The index keeps being fed meanwhile: it is read first, as it stands at one moment, then PostgreSQL up to that moment. */
export async function verify(pool: Pool, index: IndexFile): Promise<Difference[]> {
  const { cursor, here } = await inIndex(index);
  const there = await inDatabase(pool, cursor);
  return [...new Set([...there.keys(), ...here.keys()])].flatMap((key) => {
    const [inDatabase, inIndex] = [there.get(key) ?? 'none', here.get(key) ?? 'none'];
    const [deskId = '', what = ''] = key.split('|');
    return inDatabase === inIndex ? [] : [{ deskId, what, inDatabase, inIndex }];
  });
}

async function inDatabase(pool: Pool, cursor: string): Promise<Map<string, string>> {
  const [visits, conversions] = [
    await pool.query<Sum>(
      `SELECT desk_id, 'visits of ' || day || ' ' || concat_ws('/', is_bot, is_repeat, is_test, is_unique, cost_currency) AS what,
         concat_ws(' ', count(*), coalesce(sum(cost_micros), 0)) AS sum
       FROM visits WHERE tx < $1::xid8 GROUP BY desk_id, day, is_bot, is_repeat, is_test, is_unique, cost_currency`,
      [cursor],
    ),
    await pool.query<Sum>(
      `SELECT desk_id, concat_ws(' ', 'conversions', event_type_id, status, currency) AS what,
         concat_ws(' ', count(*), sum(payout_micros), coalesce(sum(base_micros), 0)) AS sum
       FROM conversions WHERE NOT is_test GROUP BY desk_id, event_type_id, status, currency`,
    ),
  ];
  return new Map([...visits.rows, ...conversions.rows].map((r) => [`${r.desk_id}|${r.what}`, r.sum]));
}

async function inIndex(index: IndexFile): Promise<{ cursor: string; here: Map<string, string> }> {
  const connection = await index.connect();
  try {
    await connection.run('BEGIN');
    const [meta] = await rowsOf<{ value: string }>(connection, `SELECT value FROM meta WHERE key = 'cursor'`);
    const here = new Map<string, string>();
    for (const deskId of index.deskIds) {
      const tables = index.tablesOf(deskId)!;
      const rows = await rowsOf<{ what: string; sum: string }>(
        connection,
        `SELECT 'visits of ' || strftime(make_timestamp(id_ms * 1000), '%Y-%m-%d') || ' ' || concat_ws('/', ${[FLAGS.bot, FLAGS.repeat, FLAGS.test, FLAGS.unique].map((f) => `CASE WHEN flags & ${f} = 0 THEN 'f' ELSE 't' END`).join(', ')}, cost_currency) AS what,
           concat_ws(' ', count(*)::VARCHAR, coalesce(sum(cost_micros), 0)::VARCHAR) AS sum FROM ${tables.visits} GROUP BY 1
         UNION ALL
         SELECT concat_ws(' ', 'conversions', event_type_id, status, currency),
           concat_ws(' ', count(*)::VARCHAR, sum(payout_micros)::VARCHAR, coalesce(sum(base_micros), 0)::VARCHAR)
         FROM ${tables.conversions} GROUP BY 1`,
      );
      for (const { what, sum } of rows) here.set(`${deskId}|${what}`, sum);
    }
    await connection.run('COMMIT');
    return { cursor: meta!.value, here };
  } finally {
    connection.closeSync();
  }
}
