/**
 * The law of the fold (core/conversions/fold.ts), on a real database: the same receipts, judged in any order, at once or one by one, again or not,
 * give the same conversions, balances and postbacks out.
 */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import fc from 'fast-check';
import type pg from 'pg';
import { ulid } from 'ulid';
import { openPipelinedPool } from '../../server/db/pools.ts';
import { fromPartner, type ReceiptRecord } from '../../server/events/rows.ts';
import { commitReceipts } from '../../server/events/commitRows.ts';
import { judge, judgeTogether } from '../../server/intake/judge.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { type Chain } from './testDesk.ts';

let desk: OwnDesk;
let judging: pg.Pool;
let chains: { once: Chain; repeating: Chain };
beforeAll(async () => {
  desk = await openOwnServer();
  judging = openPipelinedPool(desk.database.directUrl, 'judging', 4);
  await desk.make('event-type', { name: 'Upsell', word: 'upsell', repeats: true });
  const source = {
    postbackUrl: 'https://moorhen.example/x?s={status}&p={payout}',
    reportStatuses: ['pending', 'approved', 'reversed'],
    reportAgain: 'payout',
    // What is to be told is compared, not the telling: what was sent stays sent, in whatever order it was judged.
    reportDelayMinutes: 43_200,
  };
  chains = { once: await desk.chain({ source }), repeating: await desk.chain({ source }) };
});
afterAll(async () => {
  await judging.end();
  await desk.close();
});

interface Said {
  transaction: string;
  status: string;
  payout: string;
  changedAfter: number | null;
  receivedAfter: number;
}
const said: fc.Arbitrary<Said> = fc.record({
  transaction: fc.constantFrom('', 'A', 'B'),
  status: fc.constantFrom('wait', 'ok', 'no', 'back'),
  payout: fc.constantFrom('', '5', '7'),
  changedAfter: fc.option(fc.integer({ min: 1, max: 9 })),
  receivedAfter: fc.integer({ min: 1, max: 9 }),
});

/** An hour ago, to the second: times of change come over the wire in seconds. */
const BASE = Math.floor(Date.now() / 1000) * 1000 - 3_600_000;
const MINUTE = 60_000;
const RUNS = 10;

function receipts(all: Said[], chain: Chain, clickId: string, event: string): ReceiptRecord[] {
  return all.map((s) => {
    const at = BASE + s.receivedAfter * MINUTE;
    const changed = s.changedAfter === null ? '' : `&changed_time=${(BASE + s.changedAfter * MINUTE) / 1000}`;
    return {
      deskId: desk.deskId,
      id: ulid(Date.now()),
      receivedMs: at,
      networkId: chain.network.id,
      method: 'GET',
      path: '/in/x',
      query: `click_id=${clickId}&event=${event}&transaction=${s.transaction}&status=${s.status}&payout=${s.payout}${changed}`,
      body: '',
      contentType: '',
      headers: {},
      ...fromPartner,
      addressPrefix: '',
    };
  });
}

/** What stands in the end, without the IDs that differ from visit to visit. */
async function stands(clickId: string): Promise<unknown> {
  const conversions = await desk.pool.query(
    `SELECT c.status, c.transaction, c.payout_micros, c.base_micros, c.converted_at, c.flags,
       (SELECT json_agg(json_build_array(kind, total) ORDER BY kind) FROM (
          SELECT kind, sum(delta_micros) AS total FROM ledger l WHERE l.conversion_id = c.id GROUP BY kind HAVING sum(delta_micros) <> 0) s) AS balances,
       (SELECT json_agg(json_build_array(o.status, o.nth, o.next_try_at, regexp_replace(o.url, '.*\\?', '')) ORDER BY o.seq) FROM outbox o WHERE o.conversion_id = c.id) AS outbox
     FROM conversions c WHERE c.click_id = $1 ORDER BY c.transaction, c.converted_at, c.status, c.payout_micros`,
    [clickId],
  );
  const gone = await desk.pool.query(
    `SELECT sum(delta_micros)::text AS left_over FROM ledger l WHERE receipt_id IN (SELECT receipt_id FROM outcomes WHERE owner = $1)
       AND NOT EXISTS (SELECT 1 FROM conversions c WHERE c.id = l.conversion_id)`,
    [clickId],
  );
  return [conversions.rows, gone.rows[0].left_over ?? '0'];
}

it.each(['sale', 'upsell'])(
  'holds for calls of the event %s',
  async (event) => {
    const chain = event === 'sale' ? chains.once : chains.repeating;
    let compared = 0;
    await fc.assert(
      fc.asyncProperty(
        fc.array(said, { minLength: 2, maxLength: 6 }),
        fc.infiniteStream(fc.nat()),
        async (all, mix) => {
          const [inOrder, shuffled, together] = [await chain.send(), await chain.send(), await chain.send()];
          // The same receipts, with the same order of their IDs, for three visits alike.
          const first = receipts(all, chain, inOrder, event);
          const second = receipts(all, chain, shuffled, event);
          const third = receipts(all, chain, together, event);
          await commitReceipts(desk.pool)([...first, ...second, ...third]);
          for (const r of first) await judge(judging, r);
          const order = second
            .map((r) => [mix.next().value, r] as const)
            .sort((a, b) => a[0] - b[0])
            .map(([, r]) => r);
          await Promise.all(order.slice(0, 2).map((r) => judge(judging, r)));
          for (const r of [...order.slice(2), ...order.slice(0, 2)]) await judge(judging, r);
          expect(await stands(shuffled)).toEqual(await stands(inOrder));
          // In batches, two of them at once, with receipts that two of them have; then all of it again in one.
          const cut = 1 + (mix.next().value % all.length);
          await Promise.all(
            [third.slice(0, cut), third.slice(cut - 1).reverse()].map((some) => judgeTogether(judging, some)),
          );
          await judgeTogether(judging, [...third].reverse());
          expect(await stands(together)).toEqual(await stands(inOrder));
          compared += 1;
        },
      ),
      { numRuns: RUNS, seed: 20_261_125 },
    );
    expect(compared).toBeGreaterThanOrEqual(RUNS);
  },
  120_000,
);
