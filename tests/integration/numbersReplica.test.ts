/** Numbers that are read from a streaming replica: the same, never said to be newer than the replica is, and of no other database. */
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import type pg from 'pg';
import { numbersAsked } from '@tracheon/core/contract';
import { makeUlid } from '@tracheon/core/identity';
import { unknownVisit } from '@tracheon/core/visits';
import { startCluster, startReplica, type Cluster } from '../../scripts/database.mjs';
import { makeFirstDesk } from '../../server/accounts/accounts.ts';
import { migrate } from '../../server/db/migrate.ts';
import { defineModels, openSequelize } from '../../server/db/models.ts';
import { openPool } from '../../server/db/pools.ts';
import { commitVisits } from '../../server/events/commitRows.ts';
import type { VisitRecord } from '../../server/events/rows.ts';
import type { KeptIndex } from '../../server/numbers/keptIndex.ts';
import { until } from './testDesk.ts';
import { openIndex } from './testIndex.ts';

const folder = mkdtempSync(join(tmpdir(), 'tracheon-replica-'));
// User postgres must be able to enter it.
chmodSync(folder, 0o711);
const DAY = '2026-11-20';
const troubles: string[] = [];
let clusters: Cluster[];
let primary: pg.Pool;
let replica: pg.Pool;
let deskId: string;
beforeAll(async () => {
  const first = await startCluster(join(folder, 'primary'));
  clusters = [first];
  first.createDatabase('tracheon');
  const sequelize = openSequelize(first.url('tracheon'));
  await migrate(sequelize);
  const owner = { name: 'O', email: 'owner@desk.test' };
  const desk = { name: 'Desk', zone: 'UTC', currency: 'EUR', isDemo: false, owner };
  deskId = (await makeFirstDesk(defineModels(sequelize), desk))!.deskId;
  await sequelize.close();
  clusters.push(await startReplica(join(folder, 'replica'), first));
  primary = openPool(first.url('tracheon'), 'test', 2);
  replica = openPool(clusters[1]!.url('tracheon'), 'test', 2);
});
afterAll(async () => {
  await Promise.all([primary.end(), replica.end()]);
  for (const cluster of clusters) cluster.stop('immediate');
  rmSync(folder, { recursive: true, force: true });
});

let n = 0;
function visit(): VisitRecord {
  const atMs = Date.parse(DAY) + n;
  n += 1;
  const id = makeUlid(
    atMs,
    Array.from({ length: 16 }, (_, i) => (n + i) % 32),
  );
  return {
    ...unknownVisit,
    deskId,
    id,
    atMs,
    costCurrency: '',
    subs: {},
    address: '',
    userAgent: '',
  } as VisitRecord;
}
const open = (pool: pg.Pool, of: pg.Pool): KeptIndex =>
  openIndex(pool, join(folder, 'numbers.duckdb'), troubles, { primary: of });

it('follow the replica, and say how far it is', async () => {
  const kept = open(replica, primary);
  const ask = async () =>
    (await kept.ask(
      deskId,
      numbersAsked.parse({ by: ['day'], from: DAY, to: DAY }),
      new AbortController().signal,
    ))!;
  try {
    await commitVisits(primary)([visit(), visit()]);
    await until(() => Promise.resolve(kept.state.state === 'ready'), 'the index');
    await until(async () => (await ask()).total.visits === 2, 'two visits');
    await replica.query('SELECT pg_wal_replay_pause()');
    await commitVisits(primary)([visit()]);
    const committedMs = Date.now();
    await until(() => Promise.resolve(kept.standing.lagMs! > 300), 'the lag to be told');
    const behind = await ask();
    expect(behind.total.visits).toBe(2);
    expect(Date.parse(behind.fedAt)).toBeLessThan(committedMs);
    await replica.query('SELECT pg_wal_replay_resume()');
    await until(async () => (await ask()).total.visits === 3, 'the third visit');
    await until(async () => Date.parse((await ask()).fedAt) >= committedMs, 'news up to now');
    expect(troubles).toEqual([]);
  } finally {
    await kept.close();
  }
});

it('are not read from another database', async () => {
  clusters[0]!.createDatabase('other');
  const url = clusters[0]!.url('other');
  const sequelize = openSequelize(url);
  await migrate(sequelize);
  await sequelize.close();
  const other = openPool(url, 'test', 2);
  const kept = open(other, primary);
  try {
    await until(() => Promise.resolve(troubles.length > 0), 'it to be said');
    expect(troubles[0]).toContain('TRACHEON_NUMBERS_DATABASE_URL is no replica of DATABASE_URL');
    expect(kept.state.state).toBe('building');
  } finally {
    await kept.close();
    await other.end();
  }
});
