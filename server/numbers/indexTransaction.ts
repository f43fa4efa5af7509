import type { DuckDBConnection } from '@duckdb/node-api';

/** What `work` writes is there as a whole, or not at all. */
export async function inTransaction(connection: DuckDBConnection, work: () => Promise<void>): Promise<void> {
  await connection.run('BEGIN');
  try {
    await work();
    await connection.run('COMMIT');
  } catch (error) {
    await connection.run('ROLLBACK').catch(() => undefined);
    throw error;
  }
}
