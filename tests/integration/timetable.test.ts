/** Scheduled work among several processes: each run once, whoever takes it. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import type pg from 'pg';
import { databaseJobs } from '../../server/db/databaseJobs.ts';
import { partitionedTables } from '../../server/db/partitions.ts';
import { openPool } from '../../server/db/pools.ts';
import type { ScheduledJob } from '../../server/jobs/job.ts';
import { openTimetable, type Timetable } from '../../server/jobs/timetable.ts';
import { privacyJobs } from '../../server/privacy/privacyJobs.ts';
import { freshDatabase, type FreshDatabase } from './freshDatabase.ts';
import { until } from './testDesk.ts';

let database: FreshDatabase;
let pools: pg.Pool[] = [];
const open: Timetable[] = [];
const errors: unknown[] = [];
const LOOK_EVERY_SECONDS = 0.5;

beforeAll(async () => {
  database = await freshDatabase();
  pools = [1, 2].map((n) => openPool(database.url, `process ${n}`, 3));
});
afterAll(async () => {
  await Promise.all(open.map((t) => t.stop()));
  await Promise.all(pools.map((p) => p.end()));
  await database.drop();
});
const start = (
  pool: pg.Pool,
  jobs: ScheduledJob[],
  lookEverySeconds: number = LOOK_EVERY_SECONDS,
): Timetable => {
  const timetable = openTimetable(pool, jobs, (error) => errors.push(error), lookEverySeconds);
  open.push(timetable);
  return timetable;
};
const isUp = async (name: string): Promise<boolean> => {
  const { rows } = await pools[0]!.query<{ n: number }>(
    `SELECT count(*)::int AS n FROM pgboss.schedule WHERE name = $1`,
    [name],
  );
  return rows[0]!.n === 1;
};

it('a run is taken by one of two processes, and both know the timetable once', async () => {
  const runs: string[] = [];
  const job = (process: string): ScheduledJob => ({
    name: 'count-once',
    cron: '0 0 1 1 *',
    run: () => Promise.resolve(runs.push(process)),
  });
  const [first] = [start(pools[0]!, [job('first')]), start(pools[1]!, [job('second')])];
  await until(() => isUp('count-once'), 'the timetable');
  for (let n = 1; n <= 3; n++) {
    await until(
      () =>
        first!.runNow('count-once').then(
          () => true,
          () => false,
        ),
      'the timetable to take a run',
    );
    await until(() => Promise.resolve(runs.length >= n), `run ${n}`);
  }
  const { rows } = await pools[0]!.query<{ state: string; n: number }>(
    `SELECT state::text, count(*)::int AS n FROM pgboss.job WHERE name = 'count-once' GROUP BY 1`,
  );
  expect(rows.reduce((sum, r) => sum + r.n, 0)).toBe(runs.length);
  expect(errors).toEqual([]);
});

it('a run that is asked for begins at once, also long before the next look', async () => {
  let runs = 0;
  const job = { name: 'asked-for', cron: '0 0 1 1 *', run: () => Promise.resolve(void (runs += 1)) };
  const timetable = start(pools[0]!, [job], 3600);
  for (let n = 1; n <= 2; n++) {
    await until(
      () =>
        timetable.runNow('asked-for').then(
          () => true,
          () => false,
        ),
      'the timetable to take a run',
    );
    await until(() => Promise.resolve(runs === n), 'the run');
  }
});

it('what is scheduled does its work: old addresses, changes and keys go, young ones stay', async () => {
  const [pool] = pools as [pg.Pool, pg.Pool];
  expect(partitionedTables).toContain('visit_addresses');
  const now = Date.now();
  await pool.query(
    `CREATE TABLE visit_addresses_20200101 PARTITION OF visit_addresses FOR VALUES FROM ('2020-01-01') TO ('2020-01-02')`,
  );
  await pool.query(`INSERT INTO desks (id, name, zone, currency) VALUES ('D', 'Desk', 'UTC', 'EUR')`);
  await pool.query(
    `INSERT INTO parts (id, desk_id, kind, name, key, state, version, body, created_at, updated_at)
     VALUES ('N', 'D', 'network', 'N', 'k', 'live', 1, '{}', now(), now())`,
  );
  await pool.query(
    `INSERT INTO old_keys (key, part_id, desk_id, valid_until)
     VALUES ('over', 'N', 'D', now() - interval '1 hour'), ('young', 'N', 'D', now() + interval '1 hour')`,
  );
  const jobs = [...databaseJobs(pool), ...privacyJobs(pool, 30, () => now)];
  const timetable = start(pool, jobs);
  await until(() => isUp('drop-old-addresses'), 'the timetable');
  for (const { name } of jobs)
    await until(
      () =>
        timetable.runNow(name).then(
          () => true,
          () => false,
        ),
      `${name} to be taken`,
    );
  await until(async () => {
    const { rows } = await pool.query<{ keys: string[]; old: string | null }>(
      `SELECT (SELECT array_agg(key) FROM old_keys) AS keys, to_regclass('visit_addresses_20200101')::text AS old`,
    );
    return rows[0]!.old === null && rows[0]!.keys.join() === 'young';
  }, 'all of them');
  const { rows } = await pool.query<{ name: string }>(
    `SELECT relname AS name FROM pg_inherits i JOIN pg_class c ON c.oid = i.inhrelid WHERE inhparent = 'visit_addresses'::regclass`,
  );
  expect(rows.length).toBeGreaterThan(2);
  expect(errors).toEqual([]);
});

it('a run that fails is heard of, and the next one is tried all the same', async () => {
  let runs = 0;
  const timetable = start(pools[0]!, [
    {
      name: 'fails-once',
      cron: '0 0 1 1 *',
      run: () => (++runs === 1 ? Promise.reject(new Error('no answer')) : Promise.resolve()),
    },
  ]);
  await until(() => isUp('fails-once'), 'the timetable');
  for (let n = 1; n <= 2; n++) {
    await until(
      () =>
        timetable.runNow('fails-once').then(
          () => true,
          () => false,
        ),
      'the timetable to take a run',
    );
    await until(() => Promise.resolve(runs >= n), `run ${n}`);
  }
  expect(errors.map(String)).toEqual(['Error: no answer']);
});

it('a run that ends after its pool was closed ends nothing else', async () => {
  const pool = openPool(database.url, 'a process that stops', 3);
  const unhandled: unknown[] = [];
  const note = (error: unknown): number => unhandled.push(error);
  process.on('unhandledRejection', note);
  const noted: unknown[] = [];
  let [isRunning, end] = [false, (): void => undefined];
  const job: ScheduledJob = {
    name: 'outlives',
    cron: '0 0 1 1 *',
    run: () =>
      new Promise<void>((done) => {
        isRunning = true;
        end = done;
      }),
  };
  const timetable = openTimetable(pool, [job], (error) => noted.push(error), LOOK_EVERY_SECONDS);
  await until(() => isUp('outlives'), 'the timetable');
  await until(
    () =>
      timetable.runNow('outlives').then(
        () => true,
        () => false,
      ),
    'the timetable to take a run',
  );
  await until(() => Promise.resolve(isRunning), 'the run');
  await timetable.stop();
  await pool.end();
  const before = noted.length;
  end();
  await until(() => Promise.resolve(noted.length > before), 'the end that can’t be noted');
  expect(unhandled).toEqual([]);
  process.off('unhandledRejection', note);
});
