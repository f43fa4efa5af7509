/** pg pools with one set of settings. int8 stays text (it is money); dates stay ISO text. */
import pg from 'pg';

const DATE_OID = 1082;
pg.types.setTypeParser(DATE_OID, (text) => text);

/** Waiting longer than this for a connection is an answer: the database is away. */
const CONNECT_TIMEOUT_MS = 2000;
const STATEMENT_TIMEOUT_MS = 30_000;
/** Longer than the server's own limit: reached only when the server has fallen silent, and then the connection is given up. */
const SILENCE_MS = 35_000;

export function openPool(url: string, name: string, max: number, silenceMs = SILENCE_MS): pg.Pool {
  const pool = new pg.Pool({
    connectionString: url,
    max,
    application_name: `tracheon ${name}`,
    connectionTimeoutMillis: CONNECT_TIMEOUT_MS,
    statement_timeout: Math.min(STATEMENT_TIMEOUT_MS, silenceMs),
    query_timeout: silenceMs,
    keepAlive: true,
  });
  // An idle connection that breaks must not take the process down; the next query tells the caller.
  pool.on('error', () => undefined);
  // Nor one that breaks between two queries of a transaction, when it is nobody's idle connection.
  pool.on('connect', (client) => client.on('error', () => undefined));
  return pool;
}

/** Runs `work` in one transaction on one connection. */
export async function inTransaction<T>(
  pool: pg.Pool,
  work: (client: pg.PoolClient) => Promise<T>,
): Promise<T> {
  const client = await pool.connect();
  let broken: Error | undefined;
  try {
    await client.query('BEGIN');
    const result = await work(client);
    await client.query('COMMIT');
    return result;
  } catch (error) {
    await client.query('ROLLBACK').catch((e: unknown) => (broken = e as Error));
    throw error;
  } finally {
    client.release(broken);
  }
}
