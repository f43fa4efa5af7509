/** The numbers index of a server in a test, in the process of the test; asked as usual, over its socket. */
import type pg from 'pg';
import { openPool } from '../../server/db/pools.ts';
import type { IndexFile } from '../../server/numbers/indexFile.ts';
import { KeptIndex, type KeptIndexDeps } from '../../server/numbers/keptIndex.ts';
import { serveNumbers } from '../../server/numbers/numbersService.ts';
import { indexOf, socketOf } from '../../server/numbers/numbersSocket.ts';
import { rowsOf } from '../../server/numbers/sums.ts';
import { until } from './testDesk.ts';

/** An index in the process of the test. It looks for what is new all the time: what a test has written is soon there. */
export const openIndex = (
  pool: pg.Pool,
  path: string,
  /** What it logs as an error. */
  troubles: string[] = [],
  more: Partial<KeptIndexDeps> = {},
): KeptIndex =>
  new KeptIndex({
    pool,
    path,
    feedEveryMs: 30,
    log: {
      info: () => undefined,
      error: (about, words) => {
        const { err } = about as { err?: Error };
        troubles.push(`${words} ${err?.stack ?? JSON.stringify(about)}`);
      },
    },
    ...more,
  });

export async function startIndex(
  databaseUrl: string,
  dataFolder: string,
): Promise<{ close: () => Promise<void> }> {
  const pool = openPool(databaseUrl, 'numbers', 2);
  const log = { info: () => undefined, error: () => undefined };
  // Many tests write at the same time, and few of them look at figures.
  const kept = new KeptIndex({ pool, path: indexOf(dataFolder), feedEveryMs: 1500, log });
  const service = await serveNumbers(kept, socketOf(dataFolder));
  return {
    close: async () => {
      service.close();
      service.closeAllConnections();
      await kept.close();
      await pool.end();
    },
  };
}

/** On a connection of its own: on the feeder's, a statement of somebody else breaks off what the feeder is doing. */
export async function inIndex<R>(index: IndexFile, sql: string): Promise<R[]> {
  const connection = await index.connect();
  try {
    return await rowsOf<R>(connection, sql);
  } finally {
    connection.closeSync();
  }
}

/**
 * Transactions that began before now are over, also those of other databases: an index that is built from now on takes nothing
 * in once more that was written before.
 */
export async function earlierAreOver(pool: pg.Pool): Promise<void> {
  const { rows } = await pool.query<{ now: string }>('SELECT pg_current_xact_id()::text AS now');
  await until(async () => {
    const { rows: left } = await pool.query<{ isOver: boolean }>(
      'SELECT pg_snapshot_xmin(pg_current_snapshot()) > $1::xid8 AS "isOver"',
      [rows[0]!.now],
    );
    return left[0]!.isOver;
  }, 'earlier transactions to be over');
}

/** Everything that is over by now has been taken in, and its costs are settled. */
export async function caughtUp(pool: pg.Pool, kept: KeptIndex, troubles: readonly string[]): Promise<void> {
  const { rows } = await pool.query<{ now: string }>('SELECT pg_current_xact_id()::text AS now');
  await until(() => {
    const index = kept.state.state === 'ready' ? kept.open : null;
    return Promise.resolve(index !== null && index.cursor > BigInt(rows[0]!.now) && !index.hasUnsettled);
  }, 'the index to have taken everything in').catch((error: Error) => {
    throw new Error([error.message, ...troubles].join('\n'), { cause: error.cause });
  });
}
