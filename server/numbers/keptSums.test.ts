/** Sums that are kept: made once, forgotten when something is written into their stretch, and dropped when nobody reads them. */
import { afterEach, beforeEach, expect, it } from '@jest/globals';
import { DuckDBInstance, type DuckDBConnection } from '@duckdb/node-api';
import { KeptSums, type KeepAsked } from './keptSums.ts';
import { QUARTER_MS } from './quarters.ts';

const DAY_MS = 86_400_000;
const day = (n: number): number => Date.UTC(2026, 9, 1) + n * DAY_MS;
let instance: DuckDBInstance;
let connection: DuckDBConnection;
let made: number[];
let nowMs: number;
beforeEach(async () => {
  instance = await DuckDBInstance.create(':memory:');
  connection = await instance.connect();
  made = [];
  nowMs = day(20) + 3_600_000;
  await connection.run(
    `CREATE TABLE visits_1 AS SELECT (${day(0) / QUARTER_MS} + i // 10)::INTEGER AS quarter FROM range(${10 * 96 * 20}) t (i)`,
  );
});
afterEach(() => {
  connection.closeSync();
  instance.closeSync();
});

async function keptSums(leastVisits = 1, quietMs = 30 * 60_000): Promise<KeptSums> {
  const sums = new KeptSums({ leastVisits, quietMs }, () => nowMs);
  await connection.run(`ATTACH ':memory:' AS ${sums.database}`);
  return sums;
}
const asked = (fromMs: number, toMs: number, more: Partial<KeepAsked> = {}): KeepAsked => ({
  connection,
  visits: 'visits_1',
  fromMs,
  toMs,
  youngFromMs: Infinity,
  gathered: (untilMs) => {
    if (untilMs > 0) made.push(untilMs);
    return {
      sql: `SELECT count(*) AS n FROM visits_1 WHERE quarter >= ${fromMs / QUARTER_MS} AND quarter < ${untilMs / QUARTER_MS}`,
      values: [],
    };
  },
  ground: 'UTC',
  ...more,
});
const tables = async (): Promise<number> =>
  (await connection.runAndReadAll(`SELECT 1 FROM duckdb_tables() WHERE table_name LIKE 'sums_%'`)).getRowsJS()
    .length;

it('keeps a period that is over whole, and of one that goes on all but the last day', async () => {
  const sums = await keptSums();
  const past = await sums.of(asked(day(2), day(9)));
  expect(past).toMatchObject({ untilMs: day(9), rows: 1 });
  expect(await sums.of(asked(day(2), day(9)))).toEqual(past);
  const going = await sums.of(asked(day(2), day(21)));
  expect(going).toMatchObject({ untilMs: day(20) });
  // A day later the same sums serve, and after three they are made again.
  nowMs += DAY_MS;
  expect(await sums.of(asked(day(2), day(22)))).toEqual(going);
  nowMs += 2 * DAY_MS;
  expect(await sums.of(asked(day(2), day(24)))).toMatchObject({ untilMs: day(23) });
  expect(made).toEqual([day(9), day(20), day(23)]);
});

it('keeps nothing of what is young for a verdict, short, or soon gathered', async () => {
  const sums = await keptSums();
  const young = asked(day(2), day(21), { youngFromMs: day(12) + 5 });
  expect(await sums.of(young)).toMatchObject({ untilMs: day(12) });
  expect(await sums.of(asked(day(20), day(21)))).toBeNull();
  expect(await (await keptSums(10_000_000)).of(asked(day(2), day(9)))).toBeNull();
});

it('forgets what is written into, and keeps up to what was written lately', async () => {
  const sums = await keptSums();
  const [early, late] = [asked(day(0), day(5)), asked(day(5), day(15))];
  await sums.of(early);
  await sums.of(late);
  sums.touch('visits_1', day(8) + 1);
  expect(await sums.of(early)).toMatchObject({ untilMs: day(5) });
  expect(await sums.of(late)).toMatchObject({ untilMs: day(8) });
  sums.touch('visits_2', day(1));
  expect(await sums.of(early)).toMatchObject({ untilMs: day(5) });
  nowMs += 31 * 60_000;
  expect(await sums.of(asked(day(4), day(15)))).toMatchObject({ untilMs: day(15) });
  expect(await tables()).toBe(4);
  await sums.clean(connection);
  expect(await tables()).toBe(3);
});

it('does not keep what was written into while it was made', async () => {
  const sums = await keptSums(1, 0);
  const plain = asked(day(2), day(9));
  const spoilt = {
    ...plain,
    gathered: (untilMs: number) => {
      if (untilMs > 0) sums.touch('visits_1', day(3));
      return plain.gathered(untilMs);
    },
  };
  expect(await sums.of(spoilt)).toBeNull();
  expect(await sums.of(plain)).toMatchObject({ untilMs: day(9) });
  expect(made).toHaveLength(2);
  await sums.clean(connection);
  expect(await tables()).toBe(1);
});

it('serves one question with sums that are too large to keep, and does not try again', async () => {
  const sums = await keptSums();
  const large = {
    ...asked(day(2), day(9)),
    gathered: (untilMs: number) => {
      if (untilMs > 0) made.push(untilMs);
      return { sql: `SELECT i FROM range(1300000) t (i) WHERE ${untilMs} >= 0`, values: [] };
    },
  };
  expect(await sums.of(large)).toMatchObject({ rows: 1_300_000 });
  expect(await sums.of(large)).toBeNull();
  expect(made).toHaveLength(1);
  await sums.clean(connection);
  expect(await tables()).toBe(0);
});
