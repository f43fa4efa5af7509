import { afterAll, beforeAll, expect, it } from '@jest/globals';
import type pg from 'pg';
import { inEventTransaction, openPool } from '../../server/db/pools.ts';
import { freshDatabase, type FreshDatabase } from './freshDatabase.ts';

let database: FreshDatabase;
let pool: pg.Pool;
beforeAll(async () => {
  database = await freshDatabase();
  pool = openPool(database.url, 'test', 2);
});
afterAll(async () => {
  await pool.end();
  await database.drop();
});

it('a connection that breaks between two queries of a transaction fails that transaction, not the process', async () => {
  const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));
  const work = inEventTransaction(pool, async (client) => {
    await client.query('SELECT 1');
    await database.relay.cut();
    // Nobody asks anything of the connection while its end is noticed.
    await pause(100);
    await client.query('SELECT 2');
  });
  await expect(work).rejects.toThrow(/terminated|not queryable|closed|ECONNRESET/i);
  await database.relay.open();
  expect((await pool.query('SELECT 3 AS n')).rows).toEqual([{ n: 3 }]);
});

it('what fails inside is rolled back, and the connection is used again', async () => {
  await pool.query('CREATE TABLE t (n int)');
  await expect(
    inEventTransaction(pool, async (client) => {
      await client.query('INSERT INTO t VALUES (1)');
      throw new Error('no');
    }),
  ).rejects.toThrow('no');
  expect((await pool.query('SELECT * FROM t')).rows).toEqual([]);
  expect(pool.totalCount).toBeLessThanOrEqual(2);
});
