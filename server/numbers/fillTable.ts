/** A temporary table out of rows that are made here. */
import type { DuckDBConnection } from '@duckdb/node-api';

type Type = 'VARCHAR' | 'BIGINT' | 'INTEGER';

export async function fillTable(
  connection: DuckDBConnection,
  name: string,
  columns: Readonly<Record<string, Type>>,
  rows: readonly (readonly (string | number | bigint)[])[],
): Promise<void> {
  const types = Object.values(columns);
  const list = Object.entries(columns).map(([column, type]) => `${column} ${type}`);
  await connection.run(`CREATE OR REPLACE TEMP TABLE ${name} (${list.join(', ')})`);
  const appender = await connection.createAppender(name);
  for (const row of rows) {
    row.forEach((value, i) => {
      if (types[i] === 'VARCHAR') appender.appendVarchar(String(value));
      else if (types[i] === 'BIGINT') appender.appendBigInt(BigInt(value));
      else appender.appendInteger(Number(value));
    });
    appender.endRow();
  }
  appender.closeSync();
}
