/** Days older than visits are kept: sealed as Parquet, removed from PostgreSQL, and in every report as they were. */
import { createHash } from 'node:crypto';
import { mkdtempSync, readdirSync, readFileSync, renameSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { DuckDBInstance } from '@duckdb/node-api';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { numbersAsked, type NumbersAnswer } from '@tracheon/core/contract';
import { openPool } from '../../server/db/pools.ts';
import type { KeptIndex } from '../../server/numbers/keptIndex.ts';
import { verify } from '../../server/numbers/verify.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { until, type Chain } from './testDesk.ts';
import { caughtUp, openIndex } from './testIndex.ts';

const DAY_MS = 86_400_000;
const VISIT_DAYS = 130;
const folder = mkdtempSync(join(tmpdir(), 'tracheon-sealed-'));
const troubles: string[] = [];
let desk: OwnDesk;
let chain: Chain;
let kept: KeptIndex;
/** What the sealing takes for now; visits are of today. */
let aheadDays = 0;
let hours = 0;
/** The next look at what is due, which is each hour. */
const look = (): void => void (hours += 1.01);

beforeAll(async () => {
  desk = await openOwnServer();
  chain = await desk.chain({ campaign: { costModel: 'share', costShare: '12500000' } });
  kept = openIndex(
    openPool(desk.database.directUrl, 'numbers', 2),
    join(folder, 'numbers.duckdb'),
    troubles,
    {
      visitDays: VISIT_DAYS,
      now: () => Date.now() + aheadDays * DAY_MS + hours * 3_600_000,
    },
  );
});
afterAll(async () => {
  await kept.close();
  await kept.pool.end();
  await desk.close();
  rmSync(folder, { recursive: true, force: true });
});

const period = () => ({
  from: new Date(Date.now() - 3 * DAY_MS).toISOString().slice(0, 10),
  to: new Date(Date.now() + 2 * DAY_MS).toISOString().slice(0, 10),
});
const ask = (by: string[]): Promise<NumbersAnswer> =>
  kept
    .ask(desk.deskId, numbersAsked.parse({ by, limit: 100, ...period() }), new AbortController().signal)
    .then((a) => a!);
async function figures(): Promise<object[]> {
  const answers = [
    await ask(['sub_site']),
    await ask(['campaign_id', 'sub_Site']),
    await ask(['hour', 'country']),
  ];
  return answers.map(({ rows, total }) => ({
    rows: rows.map(({ values, figures: of }) => ({ values, figures: of })),
    total,
  }));
}
const settled = (): Promise<void> => caughtUp(desk.pool, kept, troubles);
const count = async (sql: string): Promise<number> =>
  (await desk.pool.query<{ n: number }>(`SELECT count(*)::float8 AS n FROM ${sql}`)).rows[0]!.n;
const sealedVisits = async (): Promise<number> =>
  (await desk.pool.query<{ n: number }>('SELECT coalesce(sum(visits), 0)::float8 AS n FROM sealed_days'))
    .rows[0]!.n;
const files = (): string[] =>
  (readdirSync(join(folder, 'sealed'), { recursive: true }) as string[]).filter((f) =>
    f.endsWith('.parquet'),
  );

let before: object[];
/** That the visits of the day had, while they were there. */
let titles: string[];

it('a day is sealed only when no conversion of it can come any more', async () => {
  // One source marks it, for the whole desk.
  await desk.make('source', {
    ...chain.source.body,
    name: 'Marsh Post',
    parameters: chain.source.body.parameters.map((p) => ({ ...p, personal: p.sub === 'title' })),
  });
  const own = await chain.send('clk=s1&site=moss');
  for (let n = 2; n <= 6; n++) await chain.send(`clk=s${n}&site=fern&title=T%20${n}`);
  await desk.say(chain.network.key, `click_id=${own}&payout=10&transaction=seal-1&status=ok`);
  await desk.owner.post('/costs', {
    sourceId: chain.source.id,
    ...period(),
    amountMicros: '1000003',
    subs: [{ name: 'site', value: 'fern' }],
  });
  const long = await desk.make('offer', {
    ...chain.offer.body,
    name: 'Kites, a long window',
    windowDays: VISIT_DAYS,
  });
  await settled();
  before = await figures();
  titles = (await ask(['sub_title'])).rows.map((r) => r.values[0]!);
  // The share of 10.00, and what the source billed.
  expect((before[0] as { total: object }).total).toMatchObject({ visits: 6, spentMicros: '2250003' });
  aheadDays = VISIT_DAYS + 3;
  look();
  await until(
    () => Promise.resolve(troubles.some((t) => t.includes('Raise TRACHEON_VISIT_DAYS'))),
    'the refusal',
  );
  expect(await count('visits')).toBe(6);
  const { body } = await desk.owner.put(`/parts/offer/${long.id}`, {
    version: long.version,
    body: { ...long.body, windowDays: 90 },
  });
  expect(body).toMatchObject({ body: { windowDays: 90 } });
});

it('then its visits leave PostgreSQL, and every figure stays', async () => {
  look();
  await until(async () => (await sealedVisits()) === 6, 'the days to be sealed');
  expect(await count('visits')).toBe(0);
  await until(async () => JSON.stringify(await figures()) === JSON.stringify(before), 'the same figures');
  await settled();
  expect(await verify(desk.pool, kept.open!)).toEqual([]);
  expect(await count('conversions')).toBe(1);
});

it('the file can be read by anything, and holds no click ID and nothing that is marked as personal', async () => {
  const db = await DuckDBInstance.create(':memory:');
  const connection = await db.connect();
  const read = await connection.runAndReadAll(
    `SELECT * FROM read_parquet([${files()
      .map((f) => `'${join(folder, 'sealed', f)}'`)
      .join(', ')}]) ORDER BY visit_at, n`,
  );
  const rows = read.getRowObjectsJson();
  connection.closeSync();
  db.closeSync();
  expect(rows).toHaveLength(6);
  expect(rows[0]).toMatchObject({
    campaign_id: chain.campaign.id,
    cost_micros: '1250000',
    cost_currency: 'EUR',
  });
  expect(JSON.stringify(rows[0])).toContain('moss');
  expect(JSON.stringify(rows)).not.toContain('T 2');
  expect(titles).toHaveLength(6);
  expect((await ask(['sub_title'])).rows.map((r) => r.values)).toEqual([['']]);
  const { rows: conversions } = await desk.pool.query<{ click_id: string }>(
    'SELECT click_id FROM conversions',
  );
  expect(JSON.stringify(rows)).not.toContain(conversions[0]!.click_id);
});

it('an index that is built anew takes the sealed days in', async () => {
  kept.drop();
  await until(() => Promise.resolve(kept.state.state === 'building'), 'the drop');
  await settled();
  expect(await figures()).toEqual(before);
  expect(await verify(desk.pool, kept.open!)).toEqual([]);
});

it('also days that were sealed before there was a dimension', async () => {
  const db = await DuckDBInstance.create(':memory:');
  const connection = await db.connect();
  for (const file of files()) {
    const path = join(folder, 'sealed', file);
    await connection.run(
      `COPY (SELECT * EXCLUDE (brought_by) FROM read_parquet('${path}')) TO '${path}.old' (FORMAT parquet)`,
    );
    renameSync(`${path}.old`, path);
    const sha256 = createHash('sha256').update(readFileSync(path)).digest('hex');
    await desk.pool.query('UPDATE sealed_days SET sha256 = $1 WHERE file = $2', [sha256, file]);
  }
  connection.closeSync();
  db.closeSync();
  kept.drop();
  await until(() => Promise.resolve(kept.state.state === 'building'), 'the drop');
  await settled();
  expect(await figures()).toEqual(before);
  expect((await ask(['brought_by'])).rows.map((r) => r.values)).toEqual([['']]);
});

it('what comes to a sealed day later is in the figures at once, and sealed with it', async () => {
  aheadDays = 0;
  const late = await desk.visit(`/v/${chain.campaign.key}?clk=late&site=fern`);
  expect(late.status).toBe(302);
  // Its partition is gone: it waits on disk until there is one again.
  await until(async () => (await count('visits')) === 1, 'the late visit');
  await settled();
  expect((await ask(['sub_site'])).total.visits).toBe(7);
  expect(await verify(desk.pool, kept.open!)).toEqual([]);
  aheadDays = VISIT_DAYS + 3;
  look();
  await until(async () => (await sealedVisits()) === 7, 'the day to be sealed again');
  await settled();
  expect((await ask(['sub_site'])).total.visits).toBe(7);
  expect(await verify(desk.pool, kept.open!)).toEqual([]);
});

it('a file that is gone is told, and its day comes back with the file', async () => {
  const [deskFolder] = readdirSync(join(folder, 'sealed'));
  renameSync(join(folder, 'sealed', deskFolder!), join(folder, 'elsewhere'));
  troubles.length = 0;
  kept.drop();
  await until(() => Promise.resolve(kept.state.state === 'building'), 'the drop');
  await settled();
  expect(troubles.join()).toContain('is missing or was changed');
  expect((await verify(desk.pool, kept.open!)).length).toBeGreaterThan(0);
  renameSync(join(folder, 'elsewhere'), join(folder, 'sealed', deskFolder!));
  look();
  await until(async () => (await ask(['sub_site'])).total.visits === 7, 'the day to be back');
  await settled();
  expect(await verify(desk.pool, kept.open!)).toEqual([]);
});
