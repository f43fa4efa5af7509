/**
 * The law of feeds in the books: whatever sets a provider tells of a day, how often the same comes again, and wherever a run
 * is killed, what is booked is what the plain reference says of those sets.
 */
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import fc from 'fast-check';
import type { FeedRecord } from '@tracheon/core/contract';
import { standingOf, type FeedSet } from '@tracheon/core/feeds';
import { formatAmount } from '@tracheon/core/money';
import { openPipelinedPool, type Reads } from '../../server/db/pools.ts';
import type { ReceiptRecord } from '../../server/events/rows.ts';
import { unjudgedReceipts } from '../../server/intake/sweeper.ts';
import { judgeInParts } from '../../server/feeds/feedJobs.ts';
import { workOnNext } from '../../server/feeds/feedRun.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { SECRET, type Chain } from './testDesk.ts';

const DAY = new Date().toISOString().slice(0, 10);
const LEASE_MS = 120_000;
/** Cents of each visit in one answer; null: the answer leaves it out. */
interface Told {
  isFinal: boolean;
  cents: (number | null)[];
  /** So many times the process is killed: before a part is judged. */
  kills: number;
}
const VISITS = 3;
const RUNS = 12;
const told: fc.Arbitrary<Told> = fc.record({
  isFinal: fc.boolean(),
  cents: fc.array(fc.option(fc.constantFrom(0, 50, 125, 900), { nil: null }), {
    minLength: VISITS,
    maxLength: VISITS,
  }),
  kills: fc.constantFrom(0, 0, 1, 2),
});

let answer = { state: 'estimate', rows: [] as object[] };
let provider: Server;
let desk: OwnDesk;
let chain: Chain;
let visits: string[];
let search: string;
/** One for each case: its conversions stand apart by their transaction. */
const feeds: FeedRecord[] = [];
let judging: ReturnType<typeof openPipelinedPool>;
beforeAll(async () => {
  provider = createServer((_, res) => res.end(JSON.stringify(answer)));
  await new Promise<void>((done) => provider.listen(0, '127.0.0.1', done));
  const { port } = provider.address() as AddressInfo;
  desk = await openOwnServer({ TRACHEON_ALLOW_OUTGOING: `127.0.0.1:${port}` });
  judging = openPipelinedPool(desk.database.directUrl, 'law', 2);
  search = (await desk.make('event-type', { name: 'Search', word: 'search' })).id;
  chain = await desk.chain({
    offer: { conversionsFrom: [{ eventTypeId: search, channel: 'feed' }], currency: 'EUR' },
  });
  visits = [];
  for (let n = 0; n < VISITS; n++) visits.push(await chain.send(`clk=law${n}`));
  for (let n = 0; n < RUNS; n++) feeds.push(await newFeed());
  // Its jobs would work on the same runs.
  await desk.running.close();
});
afterAll(async () => {
  await judging?.end();
  await desk.close();
  provider.closeAllConnections();
  provider.close();
});

let serial = 0;
async function newFeed(): Promise<FeedRecord> {
  const { port } = provider.address() as AddressInfo;
  const made = await desk.owner.post<FeedRecord>('/feeds', {
    name: `Law ${++serial}`,
    networkId: chain.network.id,
    url: `http://127.0.0.1:${port}/?day={day}`,
    rowsAt: 'rows',
    slotAt: 'sub',
    counters: [{ amountAt: 'money', eventTypeId: search }],
    currency: 'EUR',
    finals: 'field',
    finalAt: 'state',
    finalWord: 'final',
    fromDay: DAY,
  });
  expect(made.status).toBe(200);
  return made.body;
}

let nowMs = Date.now();
async function fetchOnce(feed: FeedRecord, { isFinal, cents, kills }: Told): Promise<FeedSet> {
  answer = {
    state: isFinal ? 'final' : 'estimate',
    rows: cents.flatMap((c, i) =>
      c === null ? [] : [{ sub: visits[i], money: formatAmount(BigInt(c) * 10_000n) }],
    ),
  };
  const id = `01J${String(++serial).padStart(23, '0')}`;
  await desk.pool.query(
    `INSERT INTO feed_runs (id, desk_id, feed_id, day, state) VALUES ($1, $2, $3, $4, 'queued')`,
    [id, desk.deskId, feed.id, DAY],
  );
  let left = kills;
  for (let tries = 0; tries < 10; tries++) {
    nowMs += LEASE_MS + 1000;
    const dying = new AbortController();
    const judge = async (receipts: readonly ReceiptRecord[]): Promise<void> => {
      if (receipts.length > 0 && left-- > 0) {
        dying.abort();
        throw new Error('killed');
      }
      await judgeInParts(judging, receipts, nowMs);
    };
    await workOnNext({
      pool: desk.pool,
      serverSecret: SECRET,
      out: { allowed: new Set([new URL(feed.body.url).host]), ownOrigins: [] },
      judge,
      now: () => nowMs,
      tell: () => undefined,
      signal: dying.signal,
    });
    const set = await stateOf(desk.pool, id);
    if (set) return { ...set, entries: entriesOf(cents) };
  }
  throw new Error(
    `the run does not end: ${JSON.stringify((await desk.pool.query('SELECT * FROM feed_runs WHERE id = $1', [id])).rows)}`,
  );
}
const entriesOf = (cents: Told['cents']) =>
  cents.flatMap((c, i) =>
    c === null
      ? []
      : [{ key: visits[i]!, eventTypeId: search, amount: BigInt(c) * 10_000n, currency: 'EUR' }],
  );
/** null: it is not over. */
async function stateOf(pool: Reads, id: string): Promise<Omit<FeedSet, 'entries'> | null> {
  const { rows } = await pool.query<{ state: string; as_of: Date; is_final: boolean; is_complete: boolean }>(
    'SELECT state, as_of, is_final, is_complete FROM feed_runs WHERE id = $1',
    [id],
  );
  const { state, as_of: asOf, is_final: isFinal, is_complete: isComplete } = rows[0]!;
  if (state !== 'done' && state !== 'waiting') return null;
  return { id, asOf: asOf.getTime(), isFinal, isComplete, isWaiting: state === 'waiting' };
}

/** What is rejected earns nothing, whatever it once was. */
const asBooked = (clickId: string, status: string, micros: string): string =>
  `${clickId} ${status}${status === 'rejected' ? '' : ` ${micros}`}`;
async function booked(feed: FeedRecord): Promise<string[]> {
  const { rows } = await desk.pool.query<{ click_id: string; status: string; payout_micros: string }>(
    `SELECT click_id, status, payout_micros::text FROM conversions WHERE desk_id = $1 AND transaction LIKE $2`,
    [desk.deskId, `feed:${feed.id}:%`],
  );
  return rows.map((r) => asBooked(r.click_id, r.status, r.payout_micros)).sort();
}

it('books the same as the reference, whatever is told, told again, and wherever a run is killed', async () => {
  let used = 0;
  await fc.assert(
    fc.asyncProperty(fc.array(told, { minLength: 1, maxLength: 5 }), async (answers) => {
      // Shrinking tries more cases than there are feeds; they stand apart by nothing then, and are not tried.
      fc.pre(used < feeds.length);
      const feed = feeds[used++]!;
      const sets: FeedSet[] = [];
      for (const one of answers) sets.push(await fetchOnce(feed, one));
      // As the sweep does: what a killed run has not judged any more.
      const left = await unjudgedReceipts(
        judging,
        { since: '', upTo: '9223372036854775807' },
        { days: 'any', nowMs },
      );
      await judgeInParts(judging, left, nowMs);
      const stands = standingOf(sets, 'pending').map((s) => asBooked(s.key, s.status, String(s.amount)));
      expect(await booked(feed)).toEqual(stands.sort());
    }),
    { numRuns: RUNS },
  );
});
