/** Visits from a file that PostgreSQL wrote, into the index: for an index that is built anew, where there are millions. */
import { escapeLiteral } from 'pg';
import type { DuckDBConnection } from '@duckdb/node-api';
import { dimensions } from '@tracheon/core/metrics';
import { CLICK_ID_ALPHABET, CLICK_ID_PARTS } from './clickNumbers.ts';
import { visitPageColumns } from './facts.ts';
import type { DeskTables } from './indexFile.ts';
import { quarterSql } from './quarters.ts';

/** As `clickNumbers` has them. */
const partSql = (from: number, to: number): string =>
  Array.from(
    { length: to - from },
    (_, i) =>
      `((strpos('${CLICK_ID_ALPHABET}', substr(id, ${from + i + 1}, 1)) - 1)::BIGINT << ${5 * (to - from - i - 1)})`,
  ).join(' + ');

/** `subs`: names of the sub-IDs whose values follow in each line; those that the desk has no room for are left out. */
export async function loadVisits(
  feeding: DuckDBConnection,
  tables: DeskTables,
  subs: readonly string[],
  path: string,
): Promise<void> {
  const known = subs.flatMap((name, i) => {
    const column = tables.subs.get(name);
    return column === undefined ? [] : [[column, `sub${i}`] as const];
  });
  const names = dimensions.map((d) => d.name);
  const [ms, ...parts] = CLICK_ID_PARTS.map(([from, to]) => partSql(from, to));
  const lines = [...visitPageColumns, ...subs.map((_, i) => `sub${i}`)];
  await feeding.run(
    `INSERT INTO ${tables.visits} (id_ms, id_a, id_b, id_c, visit_at, quarter, ${names.join(', ')}, flags, cost_micros, cost_currency
       ${known.map(([column]) => `, ${column}`).join('')})
     SELECT ${ms}, ${parts.map((sql) => `(${sql})::INTEGER`).join(', ')}, at_ms::BIGINT, ${quarterSql('at_ms::BIGINT')}, ${names.join(', ')},
       flags::USMALLINT, cost_micros::BIGINT, cost_currency ${known.map(([, line]) => `, ${line}`).join('')}
     FROM read_csv(${escapeLiteral(path)}, auto_detect = false, header = false, delim = ',', quote = '"', escape = '"',
       new_line = '\\n', nullstr = '\\N', allow_quoted_nulls = false, parallel = false, max_line_size = 16777216,
       columns = {${lines.map((name) => `'${name}': 'VARCHAR'`).join(', ')}})`,
  );
}
