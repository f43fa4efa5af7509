/** The numbers process is killed again and again while events come in: it comes back, and agrees with PostgreSQL. */
import { mkdtempSync, rmSync } from 'node:fs';
import { request } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { numbersAsked } from '@tracheon/core/contract';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import type pg from 'pg';
import { makeUlid } from '@tracheon/core/identity';
import { unknownVisit } from '@tracheon/core/visits';
import { openPool } from '../../server/db/pools.ts';
import { commitVisits } from '../../server/events/commitRows.ts';
import type { VisitRecord } from '../../server/events/rows.ts';
import { ChildProgram } from './childProgram.ts';
import { freshDatabase, type FreshDatabase } from './freshDatabase.ts';
import { until } from './testDesk.ts';

const KILLS = 4;
const DESK = '01J0000000000000000000000D';
const folder = mkdtempSync(join(tmpdir(), 'tracheon-numbers-'));
let database: FreshDatabase;
let pool: pg.Pool;
let program: ChildProgram;

const start = (): ChildProgram =>
  new ChildProgram(['server/dist/numbers.mjs'], {
    DATABASE_URL: database.directUrl,
    TRACHEON_SECRET: 'only for tests, and longer than thirty-two',
    TRACHEON_DATA: folder,
    TRACHEON_LOG: 'error',
  });
const call = (method: string, path: string): Promise<unknown> =>
  new Promise((done, failed) => {
    const req = request({ socketPath: join(folder, 'numbers.sock'), method, path }, (res) => {
      let text = '';
      res.on('data', (c) => (text += String(c))).on('end', () => done(JSON.parse(text)));
    });
    req.on('error', failed).end();
  });
const isReady = async (): Promise<boolean> =>
  ((await call('GET', '/state').catch(() => ({}))) as { state?: string }).state === 'ready';

let written = 0;
async function write(count: number): Promise<void> {
  const now = Date.now();
  const rows = Array.from({ length: count }, (_, i): VisitRecord => {
    const n = written + i;
    const id = makeUlid(
      now,
      Array.from({ length: 16 }, (__, k) => (n >> (k * 5)) & 31),
    );
    const subs = { [`sub ${n % 12}`]: String(n % 7) };
    return {
      ...unknownVisit,
      deskId: DESK,
      id,
      atMs: now,
      costMicros: 3n,
      costCurrency: 'EUR',
      subs,
    } as VisitRecord;
  });
  written += count;
  await commitVisits(pool)(rows.map((r) => ({ ...r, address: '', userAgent: '' })));
}

beforeAll(async () => {
  database = await freshDatabase();
  pool = openPool(database.directUrl, 'test', 3);
  await pool.query(`INSERT INTO desks (id, name, zone, currency) VALUES ($1, 'Killed', 'UTC', 'EUR')`, [
    DESK,
  ]);
  await write(500);
});
afterAll(async () => {
  program.signal('SIGTERM');
  await program.ended;
  await pool.end();
  await database.drop();
  rmSync(folder, { recursive: true, force: true });
});

it('agrees with PostgreSQL, however often and whenever it was killed', async () => {
  let isOver = false;
  const writing = (async () => {
    while (!isOver) {
      await write(20 + (written % 30));
      await pause(10);
    }
  })();
  const killed = killAgainAndAgain().finally(() => (isOver = true));
  await Promise.all([killed, writing]);
  program = start();
  await until(isReady, 'the index to be ready');
  await until(async () => {
    const differences = (await call('POST', '/verify')) as unknown[] | null;
    return differences !== null && differences.length === 0;
  }, 'the index to agree');
  // Agreed with all that was written, not with the part that it had read.
  await until(async () => {
    const { rows } = await pool.query<{ n: number }>('SELECT count(*)::int AS n FROM visits');
    expect(rows[0]!.n).toBe(written);
    const asked = {
      from: '2020-01-01',
      to: '2029-12-31',
      by: ['day'],
      under: [],
      search: '',
      sort: '',
      isDescending: false,
      offset: 0,
      limit: 100,
    };
    return (await ask(asked)) === written;
  }, 'the index to know every visit');
  // A second one finds it at work, and leaves it to it.
  expect(await start().ended).toBe(3);
});

async function killAgainAndAgain(): Promise<void> {
  for (let n = 0; n < KILLS; n++) {
    program = start();
    await until(isReady, 'the index to be ready');
    // At another moment of its work each time.
    await pause(40 + n * 190);
    program.signal('SIGKILL');
    await program.ended;
  }
}

function ask(asked: object): Promise<number> {
  return new Promise((done, failed) => {
    const req = request({ socketPath: join(folder, 'numbers.sock'), method: 'POST', path: '/ask' }, (res) => {
      let text = '';
      res
        .on('data', (c) => (text += String(c)))
        .on('end', () => done((JSON.parse(text) as { total: { visits: number } }).total.visits));
    });
    req.on('error', failed).end(JSON.stringify({ deskId: DESK, asked: numbersAsked.parse(asked) }));
  });
}
