/**
 * What is asked all the time opens the partitions of its own days only, however many there are: each one that is opened is
 * planned for and locked. PostgreSQL itself says which ones a transaction holds.
 */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import pg from 'pg';
import { clickIdDay, makeUlid } from '@tracheon/core/identity';
import { daysOfReceipts, ensurePartitions } from '../../server/db/partitions.ts';
import { commitReceipts } from '../../server/events/commitRows.ts';
import { fromPartner } from '../../server/events/rows.ts';
import { intakeJobs } from '../../server/intake/intakeJobs.ts';
import { oldestUnderWay, unjudgedReceipts, unknownClicksDue } from '../../server/intake/sweeper.ts';
import { attention } from '../../server/reports/attention.ts';
import { campaignLive } from '../../server/reports/campaignLive.ts';
import { findThings } from '../../server/reports/find.ts';
import { pixelsOfNetwork } from '../../server/reports/networkSeen.ts';
import { partsSeen } from '../../server/reports/partsSeen.ts';
import { listPostbacksIn } from '../../server/reports/lists.ts';
import { listVisits } from '../../server/reports/visitLists.ts';
import { visitSignals } from '../../server/signalWatches/visitSignals.ts';
import { freshDatabase } from './freshDatabase.ts';
import { until } from './testDesk.ts';

const DAY_MS = 86_400_000;
const DAYS = 100;
/** One table of a question about the last month, with the days ahead. */
const MONTH = 40;
const deskId = '01J0000000000000000000DESK';

let database: Awaited<ReturnType<typeof freshDatabase>>;
/** It has one connection, so that all that is asked while a transaction is open belongs to it. */
let pool: pg.Pool;
beforeAll(async () => {
  database = await freshDatabase();
  pool = new pg.Pool({ connectionString: database.directUrl, max: 1 });
  await ensurePartitions(pool, Date.now() - DAYS * DAY_MS, Date.now() + 3 * DAY_MS);
  await pool.query(
    `INSERT INTO desks (id, name, zone, currency) VALUES ($1, 'Opened days', 'Europe/Brussels', 'EUR')`,
    [deskId],
  );
});
afterAll(async () => {
  await pool.end();
  await database.drop();
});

/** How many partitions of each table are open at the end of what `ask` does. */
async function opened(ask: (on: pg.Pool) => Promise<unknown>): Promise<Record<string, number>> {
  await pool.query('BEGIN');
  await ask(pool);
  const { rows } = await pool.query<{ name: string; n: number }>(
    `SELECT regexp_replace(c.relname, '_\\d{8}$', '') AS name, count(*)::int AS n
     FROM pg_locks l JOIN pg_class c ON c.oid = l.relation
     WHERE l.pid = pg_backend_pid() AND c.relkind = 'r' AND c.relname ~ '_\\d{8}$' GROUP BY 1`,
  );
  await pool.query('ROLLBACK');
  return Object.fromEntries(rows.map((r) => [r.name, r.n]));
}

const now = Date.now();
const desk = { id: deskId, zone: 'Europe/Brussels', currency: 'EUR' };
const campaign = {
  id: makeUlid(
    now,
    Array.from({ length: 16 }, () => 1),
  ),
  createdAt: new Date(now).toISOString(),
};
const list = {
  deskId,
  search: '',
  cursor: '',
  limit: 50,
  sort: '-at',
  campaign: '',
  source: '',
  kind: '',
  hours: 0,
  from: '',
  to: '',
};
const asked: [what: string, most: number, ask: (on: pg.Pool) => Promise<unknown>][] = [
  ['what was seen of a campaign', 6, (on) => campaignLive(on, deskId, campaign, campaign.id, now)],
  ['what needs attention', 12, (on) => attention(on, desk, 0, now)],
  ['when parts were seen', MONTH, (on) => partsSeen(on, deskId)],
  ['the latest visits', MONTH, (on) => listVisits(on, list as never)],
  [
    'the latest visits that clicked a button',
    MONTH,
    (on) => listVisits(on, { ...list, kind: 'clicked' } as never),
  ],
  [
    'the latest visits that went to the offer',
    MONTH,
    (on) => listVisits(on, { ...list, kind: 'to_offer' } as never),
  ],
  ['the visits of an hour', 6, (on) => listVisits(on, { ...list, hours: 1 } as never)],
  ['a source’s click ID', 8, (on) => findThings(on, deskId, 'mh-20491')],
  ['pixels by browser', MONTH, (on) => pixelsOfNetwork(on, deskId, campaign.id)],
  ['signals in the visits', 6, (on) => visitSignals(on, deskId, now)],
  ['postbacks of clicks that nobody knew', 8, (on) => unknownClicksDue(on, true)],
  [
    'receipts without an outcome',
    8,
    async (on) => {
      const upTo = await oldestUnderWay(on);
      return unjudgedReceipts(on, { since: upTo, upTo }, { days: 'recent', nowMs: now });
    },
  ],
];

it.each(asked)('%s: at most %i days of a table', async (_, most, ask) => {
  const tables = await opened(ask);
  expect(tables).not.toEqual({});
  expect(Object.entries(tables).filter(([, days]) => days > most)).toEqual([]);
});

describe('the list of postbacks in', () => {
  const network = '01J000000000000000000NETW0';
  const ofLists = '01J0000000000000000000PAGE';
  /** In days, newest first; there are none in between. */
  const AGES = [0, 0, 1, 5, 30, 31, 31, 80, 95];
  const ids = AGES.map((age, i) =>
    makeUlid(
      now - age * DAY_MS - i,
      Array.from({ length: 16 }, () => 4),
    ),
  );
  const question = { ...list, deskId: ofLists, network: '' };
  const page = (on: pg.Pool, more: object) => listPostbacksIn(on, { ...question, ...more } as never);
  beforeAll(async () => {
    await pool.query(
      `INSERT INTO desks (id, name, zone, currency) VALUES ($1, 'Of lists', 'Europe/Brussels', 'EUR')`,
      [ofLists],
    );
    await pool.query(
      `INSERT INTO parts (id, desk_id, kind, name, key, state, version, body, created_at, updated_at)
       VALUES ($1, $2, 'network', 'Larkspur', 'larkspurkey', 'live', 1, '{}', now(), now())`,
      [network, ofLists],
    );
    await commitReceipts(pool)(
      ids.map((id, i) => ({
        deskId: ofLists,
        id,
        receivedMs: now - AGES[i]! * DAY_MS - i,
        networkId: network,
        method: 'GET',
        path: '/in/x',
        query: `click_id=${i % 2 === 0 ? 'even' : 'odd'}`,
        body: '',
        contentType: '',
        headers: {},
        ...fromPartner,
        addressPrefix: '',
      })),
    );
  });

  it.each(['-at', 'at'])(
    'has each one once, whatever lies between them and however long its pages: %s',
    async (sort) => {
      for (const search of ['', 'odd'])
        for (let limit = 1; limit <= AGES.length; limit += 1) {
          const found: string[] = [];
          for (let cursor: string | null = ''; cursor !== null;) {
            const { rows, next }: Awaited<ReturnType<typeof page>> = await page(pool, {
              sort,
              search,
              limit,
              cursor,
            });
            expect(rows.length).toBe(next === null ? Math.min(rows.length, limit) : limit);
            found.push(...rows.map((r) => r.id));
            cursor = next;
          }
          const expected = ids.filter((_, i) => search === '' || i % 2 === 1);
          expect(found).toEqual(sort === '-at' ? expected : expected.reverse());
        }
    },
  );

  it('opens the days of its page, and all only when there are no more in them', async () => {
    const days = async (more: object): Promise<number> => (await opened((on) => page(on, more))).receipts!;
    expect(await days({ limit: 3 })).toBeLessThan(15);
    const { next } = await page(pool, { limit: 4 });
    // From the one of five days ago on.
    expect(await days({ limit: 2, cursor: next })).toBeLessThan(70);
    const later = (await page(pool, { limit: 8, sort: 'at' })).next;
    // Oldest first: from the day on after which the page begins.
    expect(await days({ limit: 2, sort: 'at', cursor: later })).toBeLessThan(10);
    expect(await days({ limit: 50 })).toBeGreaterThan(DAYS);
  });

  it('refuses nothing that begins after what is no ID, and opens all days for it', async () => {
    const cursor = Buffer.from(JSON.stringify(['-at', 'no ID', 'no ID'])).toString('base64url');
    expect((await page(pool, { limit: 2, cursor })).rows.map((r) => r.id)).toEqual(ids.slice(0, 2));
  });
});

it('receipts of whatever day are looked for where a spool may have waited', async () => {
  const upTo = await oldestUnderWay(pool);
  const tables = await opened((on) =>
    unjudgedReceipts(on, { since: upTo, upTo }, { days: 'any', nowMs: now }),
  );
  expect(tables.receipts).toBeGreaterThan(DAYS);
});

it('some receipts open their own days only, and none open nothing', async () => {
  const id = makeUlid(
    now - 40 * DAY_MS,
    Array.from({ length: 16 }, () => 3),
  );
  const read = async (ids: string[]): Promise<number> => {
    const days = await daysOfReceipts(pool, 'SELECT unnest($1::text[]) AS receipt_id', [ids]);
    const tables = await opened((on) =>
      on.query('SELECT 1 FROM receipts WHERE day = ANY ($1::date[])', [days]),
    );
    return tables.receipts ?? 0;
  };
  expect(await read([id, id])).toBe(1);
  expect(await read([])).toBe(0);
});

it('a receipt that comes out of a spool is found, however old it is', async () => {
  const judged: string[] = [];
  const { jobs, spoolLoaded } = intakeJobs({
    pool,
    judge: (receipt) => Promise.resolve(judged.push(receipt.id) as never),
    tell: () => undefined,
    onNotJudged: (_, error) => {
      throw error;
    },
    now: Date.now,
    isClosing: () => false,
  });
  const [sweep] = jobs;
  // The first look at all days lies behind it.
  await sweep!.run();
  const old = makeUlid(
    now - 60 * DAY_MS,
    Array.from({ length: 16 }, () => 2),
  );
  expect(clickIdDay(old) < new Date(now - 50 * DAY_MS).toISOString()).toBe(true);
  await commitReceipts(pool)([
    {
      deskId,
      id: old,
      receivedMs: now - 60 * DAY_MS,
      networkId: campaign.id,
      method: 'GET',
      path: '/in/x',
      query: 'click_id=1',
      body: '',
      contentType: '',
      headers: {},
      ...fromPartner,
      addressPrefix: '',
    },
  ]);
  await spoolLoaded();
  await until(async () => {
    await sweep!.run();
    return judged.includes(old);
  }, 'the old receipt to be judged');
});

it('a visit is found by its click ID in one partition of many', async () => {
  const id = makeUlid(
    now - 50 * DAY_MS,
    Array.from({ length: 16 }, (_, i) => i),
  );
  const { rows } = await pool.query<{ 'QUERY PLAN': string }>(
    `EXPLAIN SELECT * FROM visits WHERE desk_id = 'd' AND day = '${clickIdDay(id)}' AND id = '${id}'`,
  );
  const plan = rows.map((r) => r['QUERY PLAN']).join('\n');
  expect(plan.match(/visits_\d{8}/g)).toContain(`visits_${clickIdDay(id).replaceAll('-', '')}`);
  expect(new Set(plan.match(/visits_\d{8}/g)).size).toBe(1);
  expect(plan).not.toContain('Seq Scan');
});
