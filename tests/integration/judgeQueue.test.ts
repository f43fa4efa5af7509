/** Receipts judged in batches: one that can't be judged stands alone, and what waits is judged in few transactions. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import type pg from 'pg';
import { ulid } from 'ulid';
import { openPipelinedPool } from '../../server/db/pools.ts';
import { commitReceipts } from '../../server/events/commitRows.ts';
import { fromPartner, type ReceiptRecord } from '../../server/events/rows.ts';
import { JudgeQueue } from '../../server/intake/judgeQueue.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { type Chain } from './testDesk.ts';

let desk: OwnDesk;
let judging: pg.Pool;
let chain: Chain;
beforeAll(async () => {
  desk = await openOwnServer();
  judging = openPipelinedPool(desk.database.directUrl, 'judging', 4);
  chain = await desk.chain();
});
afterAll(async () => {
  await judging.end();
  await desk.close();
});

const receipt = (query: string, more: Partial<ReceiptRecord> = {}): ReceiptRecord => ({
  deskId: desk.deskId,
  id: ulid(),
  receivedMs: Date.now() - 60_000,
  networkId: chain.network.id,
  method: 'GET',
  path: '/in/x',
  query,
  body: '',
  contentType: '',
  headers: {},
  ...fromPartner,
  addressPrefix: '',
  ...more,
});

it('a receipt that cannot be judged fails alone; those beside it are booked', async () => {
  const clicks = [await chain.send(), await chain.send()];
  const good = clicks.map((id) => receipt(`click_id=${id}&payout=5&transaction=alone-${id}`));
  const bad = receipt('click_id=whose', { networkId: ulid() });
  const kept = [good[0]!, bad, good[1]!];
  await commitReceipts(desk.pool)(kept);
  const queue = new JudgeQueue(judging);
  const said = await Promise.allSettled(kept.map((r) => queue.judge(r)));
  expect(said.map((s) => (s.status === 'fulfilled' ? s.value.outcome : 'failed'))).toEqual([
    'accepted',
    'failed',
    'accepted',
  ]);
  // A batch that follows is not held up.
  expect((await queue.judge(good[0]!)).outcome).toBe('accepted');
});

it('the same receipt twice in one batch is one, and two of one visit are folded together', async () => {
  const id = await chain.send();
  const first = receipt(`click_id=${id}&payout=5&transaction=pair&status=wait`);
  const second = receipt(`click_id=${id}&payout=7&transaction=pair&status=ok`, {
    receivedMs: Date.now() - 1000,
  });
  await commitReceipts(desk.pool)([first, second]);
  const queue = new JudgeQueue(judging);
  const said = await Promise.all([first, second, first].map((r) => queue.judge(r)));
  expect(said.map((s) => s.outcome)).toEqual(['accepted', 'updated', 'accepted']);
  const { rows } = await desk.pool.query(
    `SELECT c.status, c.payout_micros AS payout, (SELECT json_agg(json_build_array(kind, delta_micros, receipt_id) ORDER BY l.id) FROM ledger l
       WHERE l.conversion_id = c.id) AS entries FROM conversions c WHERE click_id = $1`,
    [id],
  );
  expect(rows).toEqual([
    { status: 'approved', payout: '7000000', entries: [['earn', 7_000_000, second.id]] },
  ]);
});

it('half of a character and NUL in what a receipt says are replaced, and lose nothing else', async () => {
  const id = await chain.send();
  const odd = receipt(`click_id=${id}&payout=5&transaction=odd-%F0%9F%98&x_mark=a%00b`);
  const long = receipt(`click_id=${id}&status=${'x'.repeat(299)}%F0%9F%98%80`);
  await commitReceipts(desk.pool)([odd, long]);
  const queue = new JudgeQueue(judging);
  const said = await Promise.all([odd, long].map((r) => queue.judge(r)));
  expect(said.map((s) => [s.outcome, s.reason])).toEqual([
    ['accepted', 'booked'],
    ['repair', 'unmapped_status'],
  ]);
});

it('what comes while two batches are under way is judged in few transactions', async () => {
  const ids = await Promise.all(Array.from({ length: 30 }, () => chain.send()));
  const receipts = ids.map((id) => receipt(`click_id=${id}&payout=5&transaction=many-${id}`));
  await commitReceipts(desk.pool)(receipts);
  const queue = new JudgeQueue(judging);
  await Promise.all(receipts.map((r) => queue.judge(r)));
  const { rows } = await desk.pool.query<{ batches: number; booked: number }>(
    'SELECT count(DISTINCT xmin::text)::int AS batches, count(*)::int AS booked FROM conversions WHERE click_id = ANY ($1)',
    [ids],
  );
  expect(rows[0]!.booked).toBe(30);
  expect(rows[0]!.batches).toBeLessThanOrEqual(2);
});

it('a batch that waits for another process does not hold up the calls of other visits', async () => {
  const [held, free, later] = [await chain.send(), await chain.send(), await chain.send()];
  const calls = [held, free, later].map((id) => receipt(`click_id=${id}&payout=5&transaction=held-${id}`));
  const again = receipt(`click_id=${held}&payout=5&transaction=held-${held}&status=ok`);
  await commitReceipts(desk.pool)([...calls, again]);
  const { rows } = await desk.pool.query<{ id: string }>(
    `SELECT id FROM parts WHERE desk_id = $1 AND kind = 'event-type' ORDER BY id LIMIT 1`,
    [desk.deskId],
  );
  const other = await desk.pool.connect();
  await other.query('SELECT pg_advisory_lock(hashtextextended($1, 0))', [
    `${desk.deskId}|${held}|${rows[0]!.id}`,
  ]);
  const queue = new JudgeQueue(judging);
  const over: string[] = [];
  const asHeld = [calls[0]!, again].map((r) => queue.judge(r).then(() => over.push(held)));
  // The first batch is under way before the next call comes.
  await new Promise((resolve) => setImmediate(() => setImmediate(resolve)));
  await queue.judge(calls[1]!).then(() => over.push(free));
  await queue.judge(calls[2]!).then(() => over.push(later));
  expect(over).toEqual([free, later]);
  await other.query('SELECT pg_advisory_unlock_all()');
  other.release();
  await Promise.all(asHeld);
  expect(over).toEqual([free, later, held, held]);
});
