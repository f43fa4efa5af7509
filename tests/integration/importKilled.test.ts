/**
 * A file that is imported, and a partner that sends lists of postbacks and sends them again when nobody answers, while the
 * server is killed again and again: each row is one receipt, each conversion and cent is booked once.
 */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import type { ImportDraft, ReceiptBatch } from '@tracheon/core/contract';
import { openPool } from '../../server/db/pools.ts';
import { ApiClient } from './apiClient.ts';
import { ChildProgram, freePort } from './childProgram.ts';
import { freshDatabase, type FreshDatabase } from './freshDatabase.ts';
import { deskAt, until, type Chain, type TestDesk } from './testDesk.ts';

const VISITS = 60;
const SALES = 10;
const KILLS = 3;
const LIST = 20;
let folder: string;
let database: FreshDatabase;
let settings: Record<string, string>;
let server: ChildProgram;
let desk: TestDesk;
let chain: Chain;

async function start(): Promise<void> {
  server = new ChildProgram(['server/dist/server.mjs'], settings);
  await server.says(/^listening /m);
}
async function kill(): Promise<void> {
  server.signal('SIGKILL');
  await server.ended;
}
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'tracheon-killed-'));
  database = await freshDatabase();
  const [deskPort, trackingPort] = [await freePort(), await freePort('127.0.0.2')];
  settings = {
    DATABASE_URL: database.directUrl,
    TRACHEON_SECRET: 'only for tests, and longer than thirty-two',
    TRACHEON_DATA: folder,
    TRACHEON_LOG: 'error',
    TRACHEON_NUMBERS: 'off',
    TRACHEON_DESK_PORT: String(deskPort),
    TRACHEON_PARTNERS: 'off',
    TRACHEON_TRACKING_PORT: String(trackingPort),
  };
  const prepare = new ChildProgram(['server/dist/prepare.mjs'], settings);
  if ((await prepare.ended) !== 0) throw new Error(prepare.output);
  const { first } = JSON.parse(prepare.output.trim().split('\n').at(-1)!) as {
    first: { email: string; password: string };
  };
  await start();
  const owner = new ApiClient(`http://127.0.0.1:${deskPort}`);
  await owner.signIn(first.email, first.password);
  const pool = openPool(database.directUrl, 'test', 3);
  const { rows } = await pool.query<{ id: string }>('SELECT id FROM desks');
  desk = deskAt({
    owner,
    ownerEmail: first.email,
    deskId: rows[0]!.id,
    tracking: `http://127.0.0.2:${trackingPort}`,
    pool,
    address: '',
    isSteady: () => true,
    member: () => Promise.reject(new Error('nobody else works here')),
    close: () => Promise.resolve(),
  });
  chain = await desk.chain();
});
afterAll(async () => {
  await kill();
  await desk.pool.end();
  await database.drop();
  rmSync(folder, { recursive: true, force: true });
});

/** As a partner that wants an answer: the same list again until somebody takes it. */
async function tell(calls: readonly object[]): Promise<void> {
  for (;;) {
    const answered = await desk
      .call(chain.network.key, '', {
        method: 'POST',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify(calls),
      })
      .catch(() => null);
    if (answered?.status === 200) return;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}
const batch = async (id: string) =>
  (
    await desk.pool.query<{ finished: number; state: string }>(
      'SELECT finished, state FROM receipt_batches WHERE id = $1',
      [id],
    )
  ).rows[0]!;

it('books every row and every postback once', async () => {
  await desk.make('event-type', { name: 'Upsell', word: 'upsell', repeats: true });
  const clicks = await Promise.all(Array.from({ length: VISITS }, () => chain.send()));
  const sales = clicks.flatMap((click, v) =>
    Array.from({ length: SALES }, (_, s) => ({
      click,
      transaction: `K-${v}-${s}`,
      payout: 1 + ((v + s) % 40),
    })),
  );
  // The file tells half of them, the partner the other half, and some are told by both; each first pending, then approved.
  const ofFile = sales.filter((_, i) => i % 3 !== 0);
  const ofPartner = sales.filter((_, i) => i % 3 !== 1);
  const rows = ['wait', 'ok'].flatMap((status) =>
    ofFile.map((s) => `${s.click},${s.payout}.00,${s.transaction},upsell,${status}`),
  );
  const draft = (
    await desk.owner.upload<ImportDraft>(
      `/imports?name=all.csv&network=${chain.network.id}`,
      Buffer.from(['click_id,payout,transaction,event,status', ...rows].join('\n')),
    )
  ).body;
  await desk.owner.post(`/imports/${draft.id}/run`, draft.settings);
  const lists = Array.from({ length: Math.ceil(ofPartner.length / LIST) }, (_, i) =>
    ofPartner.slice(i * LIST, (i + 1) * LIST),
  );
  const telling = (async () => {
    for (const status of ['wait', 'ok'])
      for (const list of lists)
        await tell(
          list.map((s) => ({
            click_id: s.click,
            payout: `${s.payout}.00`,
            transaction: s.transaction,
            event: 'upsell',
            status,
          })),
        );
  })();
  for (let n = 1; n <= KILLS; n++) {
    const before = (await batch(draft.id)).finished;
    await until(async () => {
      const { finished, state } = await batch(draft.id);
      return finished > before || state === 'done';
    }, `progress before kill ${n}`);
    await kill();
    await start();
  }
  await telling;
  await until(async () => (await batch(draft.id)).state === 'done', 'the import to be over', 120_000);
  await until(
    async () =>
      (
        await desk.pool.query(
          `SELECT 1 FROM receipts r LEFT JOIN outcomes o ON o.desk_id = r.desk_id AND o.receipt_id = r.id
           WHERE o.receipt_id IS NULL OR o.outcome = 'queued' LIMIT 1`,
        )
      ).rowCount === 0,
    'every receipt to be judged',
  );
  const { body } = await desk.owner.get<ReceiptBatch>(`/receipt-batches/${draft.id}`);
  expect(body.results.reduce((sum, r) => sum + r.count, 0)).toBe(rows.length);
  const kept = await desk.pool.query<{ rows: number; receipts: number }>(
    `SELECT count(*)::int AS rows, count(DISTINCT r.receipt_id)::int AS receipts FROM import_rows r
     JOIN receipts k ON k.id = r.receipt_id WHERE r.batch_id = $1`,
    [draft.id],
  );
  expect(kept.rows[0]).toEqual({ rows: rows.length, receipts: rows.length });
  const booked = await desk.pool.query<{
    transaction: string;
    status: string;
    payout: string;
    earned: string;
    held: string;
  }>(
    `SELECT c.transaction, c.status, c.payout_micros AS payout,
       (SELECT sum(delta_micros) FROM ledger l WHERE l.conversion_id = c.id AND l.kind = 'earn') AS earned,
       coalesce((SELECT sum(delta_micros) FROM ledger l WHERE l.conversion_id = c.id AND l.kind = 'hold'), 0) AS held
     FROM conversions c ORDER BY c.transaction`,
  );
  expect(booked.rows).toEqual(
    sales
      .map((s) => {
        const micros = String(s.payout * 1_000_000);
        return { transaction: s.transaction, status: 'approved', payout: micros, earned: micros, held: '0' };
      })
      .sort((a, b) => (a.transaction < b.transaction ? -1 : 1)),
  );
});
