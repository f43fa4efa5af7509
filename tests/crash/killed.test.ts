/**
 * The server killed with SIGKILL in the middle of load, again and again: whatever it had acknowledged is there, once.
 * The server is a process of its own, as in production; what it acknowledged is remembered here.
 */
import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import pg from 'pg';
import { makeFirstDesk } from '../../server/accounts/accounts.ts';
import { migrate } from '../../server/db/migrate.ts';
import { defineModels, openSequelize, type Models } from '../../server/db/models.ts';
import { createPart } from '../../server/parts/partsStore.ts';
import { ChildProgram, freePort } from '../integration/childProgram.ts';
import { freshDatabase, type FreshDatabase } from '../integration/freshDatabase.ts';
import { sampleParts } from '../integration/sampleParts.ts';
import { PHONE, until } from '../integration/testDesk.ts';

const KILLS = 4;
const LANES = 6;
/** Long enough for some hundred requests, and never the same. */
const lifeMs = (n: number): number => 1200 + 233 * n;

let database: FreshDatabase;
let models: Models;
let keys: { campaign: string; network: string };
beforeAll(async () => {
  database = await freshDatabase();
  const sequelize = openSequelize(database.url);
  await migrate(sequelize);
  models = defineModels(sequelize);
  const owner = { name: 'O', email: 'o@desk.test' };
  const first = await makeFirstDesk(models, {
    name: 'D',
    zone: 'UTC',
    currency: 'EUR',
    isDemo: false,
    owner,
  });
  const member = await models.Member.findOne();
  const by = { deskId: first!.deskId, memberId: member!.get().id };
  const sample = sampleParts(1);
  const network = await createPart(models, by, 'network', sample.network);
  const source = await createPart(models, by, 'source', sample.source);
  const offer = await createPart(models, by, 'offer', { ...sample.offer, networkId: network.id });
  const campaign = await createPart(models, by, 'campaign', {
    ...sample.campaign,
    sourceId: source.id,
    offerId: offer.id,
  });
  keys = { campaign: campaign.key, network: network.key };
});
afterAll(async () => {
  await models.sequelize.close();
  await database.drop();
});

it(`loses nothing and doubles nothing over ${KILLS} kills`, async () => {
  const port = await freePort('127.0.0.2');
  const environment = {
    // Without the relay: it would share this process with the load.
    DATABASE_URL: database.directUrl,
    TRACHEON_SECRET: 'only for tests, and longer than thirty-two',
    TRACHEON_DESK_PORT: String(await freePort()),
    TRACHEON_TRACKING_PORT: String(port),
    TRACHEON_DATA: mkdtempSync(join(tmpdir(), 'tracheon-crash-')),
    TRACHEON_LOG: 'silent',
  };
  const origin = `http://127.0.0.2:${port}`;
  const acknowledged = { visits: new Map<string, string>(), calls: new Set<string>() };
  let serial = 0;

  /** One visit, then its conversion; the same call again when it was not acknowledged, as a network would. */
  const lane = async (alive: () => boolean): Promise<void> => {
    while (alive()) {
      const clk = `c${++serial}`;
      try {
        const res = await fetch(`${origin}/v/${keys.campaign}?clk=${clk}&bid=0.01`, {
          redirect: 'manual',
          headers: { 'User-Agent': PHONE },
        });
        const id = new URL(res.headers.get('location')!).searchParams.get('aff_ref')!;
        acknowledged.visits.set(id, clk);
        const call = await fetch(
          `${origin}/in/${keys.network}?click_id=${id}&payout=2.00&transaction=T-${clk}&status=ok`,
        );
        await call.text();
        if (call.status === 200) acknowledged.calls.add(`T-${clk}`);
      } catch {
        // The server died under this request: nothing was acknowledged.
      }
    }
  };

  for (let n = 0; n < KILLS; n++) {
    const server = new ChildProgram(['--enable-source-maps', 'server/dist/server.mjs'], environment);
    await server.says(/listening/);
    let alive = true;
    const lanes = Array.from({ length: LANES }, () => lane(() => alive));
    await new Promise((resolve) => setTimeout(resolve, lifeMs(n)));
    server.signal('SIGKILL');
    await server.ended;
    alive = false;
    await Promise.all(lanes);
  }
  expect(acknowledged.visits.size).toBeGreaterThan(100);
  expect(acknowledged.calls.size).toBeGreaterThan(100);

  // Started once more, it judges what was kept and not yet judged.
  const last = new ChildProgram(['--enable-source-maps', 'server/dist/server.mjs'], environment);
  await last.says(/listening/);
  const client = new pg.Client({ connectionString: database.directUrl });
  await client.connect();
  const count = async (sql: string): Promise<number> => Number((await client.query(sql)).rows[0].n);
  await until(
    async () =>
      (await count(
        `SELECT count(*) AS n FROM receipts r LEFT JOIN outcomes o ON o.receipt_id = r.id WHERE o.receipt_id IS NULL OR o.outcome = 'queued'`,
      )) === 0,
    'every receipt to be judged',
    20_000,
  );

  const visits = new Map<string, string>(
    (await client.query('SELECT id, source_click_id FROM visits')).rows.map((r) => [r.id, r.source_click_id]),
  );
  const lost = [...acknowledged.visits].filter(([id, clk]) => visits.get(id) !== clk);
  expect(lost).toEqual([]);
  const booked = (await client.query('SELECT transaction, status, base_micros FROM conversions')).rows;
  expect([...acknowledged.calls].filter((t) => !booked.some((b) => b.transaction === t))).toEqual([]);
  expect(new Set(booked.map((b) => b.transaction)).size).toBe(booked.length);
  expect(booked.every((b) => b.status === 'approved' && b.base_micros === '2000000')).toBe(true);
  expect(await count('SELECT sum(base_delta_micros) AS n FROM ledger')).toBe(booked.length * 2_000_000);
  await client.end();

  // An orderly end drains what is under way.
  last.signal('SIGTERM');
  expect(await last.ended).toBe(0);
  rmSync(environment.TRACHEON_DATA, { recursive: true, force: true });
}, 120_000);

it('killed while the database is away, and again while the spool is loaded: what it acknowledged is there, once', async () => {
  const port = await freePort('127.0.0.2');
  const folder = mkdtempSync(join(tmpdir(), 'tracheon-crash-'));
  const environment = {
    DATABASE_URL: database.url,
    TRACHEON_SECRET: 'only for tests, and longer than thirty-two',
    TRACHEON_DATA: folder,
    TRACHEON_DESK_PORT: String(await freePort()),
    TRACHEON_TRACKING_PORT: String(port),
    TRACHEON_LOG: 'silent',
  };
  const origin = `http://127.0.0.2:${port}`;
  const start = async (): Promise<ChildProgram> => {
    const server = new ChildProgram(['--enable-source-maps', 'server/dist/server.mjs'], environment);
    await server.says(/listening/);
    return server;
  };
  const visits: string[] = [];
  const transactions: string[] = [];
  const first = await start();
  await database.relay.cut();
  for (let n = 0; n < 60; n++) {
    const res = await fetch(`${origin}/v/${keys.campaign}?clk=s${n}`, {
      redirect: 'manual',
      headers: { 'User-Agent': PHONE },
    });
    const id = new URL(res.headers.get('location')!).searchParams.get('aff_ref')!;
    visits.push(id);
    const call = await fetch(
      `${origin}/in/${keys.network}?click_id=${id}&payout=1.00&transaction=S-${n}&status=ok`,
    );
    await call.text();
    expect(call.status).toBe(200);
    transactions.push(`S-${n}`);
  }
  first.signal('SIGKILL');
  await first.ended;
  await database.relay.open();

  // Killed at several moments of its loading; each start adopts what the dead ones left.
  for (const ms of [0, 40, 150]) {
    const server = await start();
    await new Promise((resolve) => setTimeout(resolve, ms));
    server.signal('SIGKILL');
    await server.ended;
  }
  const last = await start();
  const client = new pg.Client({ connectionString: database.directUrl });
  await client.connect();
  const found = async (sql: string, list: string[]): Promise<number> =>
    Number((await client.query(sql, [list])).rows[0].n);
  await until(
    async () =>
      (await found('SELECT count(*) AS n FROM conversions WHERE transaction = ANY ($1)', transactions)) ===
      transactions.length,
    'every conversion',
    20_000,
  );
  expect(await found('SELECT count(*) AS n FROM visits WHERE id = ANY ($1)', visits)).toBe(visits.length);
  const receipts = `SELECT count(*) AS n FROM receipts WHERE substring(query FROM 'transaction=(S-[0-9]+)') = ANY ($1)`;
  expect(await found(receipts, transactions)).toBe(transactions.length);
  await until(async () => readdirSync(join(folder, 'spool')).length === 0, 'the spool to be empty');
  await client.end();
  last.signal('SIGTERM');
  expect(await last.ended).toBe(0);
  rmSync(folder, { recursive: true, force: true });
}, 120_000);
