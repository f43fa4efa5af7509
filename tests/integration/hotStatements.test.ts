/**
 * What a batch of postbacks reads of the tables, as it is judged in production: prepared, with plans that are kept. Pages are
 * counted by PostgreSQL itself, within the judgement's transaction. With 40 000 outcomes there, a statement that goes by the
 * wrong index, or by none, reads thousands.
 */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import pg from 'pg';
import { ulid } from 'ulid';
import { lookAtStatistics } from '../../server/db/plans.ts';
import { inPipeline, openPipelinedPool } from '../../server/db/pools.ts';
import { commitReceipts } from '../../server/events/commitRows.ts';
import { fromPartner, type ReceiptRecord } from '../../server/events/rows.ts';
import { judgeTogether } from '../../server/intake/judge.ts';
import { judgeWithin } from '../../server/intake/judgeWithin.ts';
import { copyConversions } from './manyRows.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import type { Chain } from './testDesk.ts';

const ROWS = 40_000;
const TOGETHER = 16;
/** PostgreSQL plans five times before it keeps a plan. */
const UNTIL_KEPT = 7;
/** Of all tables and indexes together: an index of so many rows is two or three pages deep. */
const MAX_PAGES_OF_A_RECEIPT = 80;
const MAX_PAGES_OF_A_TABLE = 40;

let desk: OwnDesk;
let judging: pg.Pool;
let chain: Chain;
let clicks: string[];
beforeAll(async () => {
  desk = await openOwnServer();
  chain = await desk.chain();
  judging = openPipelinedPool(desk.database.directUrl, 'judging', 1);
});
afterAll(async () => {
  await judging.end();
  await desk.close();
});

let made = 0;
const receipts = (status: string): ReceiptRecord[] =>
  clicks.map((click) => ({
    deskId: desk.deskId,
    id: ulid(),
    receivedMs: Date.now(),
    networkId: chain.network.id,
    method: 'GET',
    path: '/in/x',
    query: `click_id=${click}&payout=5&transaction=hot-${made++}-${click}&status=${status}`,
    body: '',
    contentType: '',
    headers: {},
    ...fromPartner,
    addressPrefix: '',
  }));
const send = async (): Promise<void> => {
  clicks = [];
  for (let n = 0; n < TOGETHER; n++) clicks.push(await chain.send());
};

/** Pages of each table, its indexes among them, that judging these receipts touched; a day's table counts as its parent. */
async function pagesRead(batch: ReceiptRecord[]): Promise<Map<string, number>> {
  await commitReceipts(desk.pool)(batch);
  // What the connection has counted before is written down, and so not counted with it.
  await judging.query('SELECT pg_stat_force_next_flush()');
  const { rows } = await inPipeline(judging, async (client) => {
    await judgeWithin(client, batch);
    return client.query<{ name: string; pages: string }>(
      `SELECT regexp_replace(t.relname, '_\\d{8}$', '') AS name, sum(pg_stat_get_xact_blocks_fetched(c.oid)) AS pages
       FROM pg_class c LEFT JOIN pg_index i ON i.indexrelid = c.oid JOIN pg_class t ON t.oid = coalesce(i.indrelid, c.oid)
       WHERE c.relnamespace = 'public'::regnamespace AND c.relkind IN ('r', 'i') GROUP BY 1`,
      [],
    );
  });
  return new Map(rows.map((r) => [r.name, Number(r.pages)]));
}

it('a batch of postbacks touches a bounded number of pages, with plans that are kept', async () => {
  await send();
  await commitReceipts(desk.pool)(receipts('ok'));
  const first = receipts('wait');
  await commitReceipts(desk.pool)(first);
  await judgeTogether(judging, first);
  // New tables have no statistics: plans are not kept.
  expect(await lookAtStatistics(judging)).toBe(false);
  // A connection without the bounds of the server's own: so many rows may take long.
  const copying = new pg.Client(desk.database.directUrl);
  await copying.connect();
  // Copies of rows whose references hold: to look each up once more takes as long as to write it. Not every owner may ask for it.
  await copying.query('SET session_replication_role = replica').catch(() => undefined);
  await copyConversions(copying, ROWS).finally(() => copying.end());
  expect(await lookAtStatistics(judging)).toBe(true);
  for (let n = 0; n < UNTIL_KEPT; n++) {
    const some = receipts('wait');
    await commitReceipts(desk.pool)(some);
    await judgeTogether(judging, some);
  }
  await send();
  const kept = await pagesRead(receipts('ok'));
  const { rows } = await judging.query<{ kept: string }>(
    'SELECT sum(generic_plans) AS kept FROM pg_prepared_statements',
  );
  expect(Number(rows[0]!.kept)).toBeGreaterThan(0);
  const read = [...kept].filter(([, pages]) => pages > 0);
  expect(read.map(([name]) => name)).toEqual(
    expect.arrayContaining(['outcomes', 'conversions', 'ledger', 'visits']),
  );
  expect(read.filter(([, pages]) => pages > MAX_PAGES_OF_A_TABLE * TOGETHER)).toEqual([]);
  expect(read.reduce((sum, [, pages]) => sum + pages, 0)).toBeLessThan(MAX_PAGES_OF_A_RECEIPT * TOGETHER);
});
