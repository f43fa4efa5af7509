/**
 * How fast numbers are answered: visits over 60 days with eight named sub-IDs, loaded into PostgreSQL by COPY, indexed from
 * there, and asked through the numbers process, against the plain GROUP BY over PostgreSQL in the same run.
 *   npm run bench:numbers -- --json --visits=10000000
 *   npm run bench:numbers -- --json --only=watches
 * With DATABASE_URL, a database that has as many visits from an earlier run is asked again.
 * What would make it lie: answers that are not the same (visits of each row are compared with PostgreSQL's); a cold
 * PostgreSQL against a warm index (each plain question is asked twice, and the second counts); one lucky answer (the
 * median of five; the first one, for which no sums are kept yet, is told apart); an index that lags (it has taken in
 * everything, asserted, before anything is asked).
 */
import { randomBytes } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, statSync } from 'node:fs';
import { request } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import pg from 'pg';
import { numbersAsked, type NumbersAnswer } from '@tracheon/core/contract';
import { makeUlid } from '@tracheon/core/identity';
import { unknownVisit } from '@tracheon/core/visits';
import { commitVisits } from '../server/events/commitRows.ts';
import type { VisitRecord } from '../server/events/rows.ts';
import { ChildProgram } from '../tests/integration/childProgram.ts';
import { measureWatches } from './watches.ts';
import { assertDurable, atMost, finish, makeScene, round, say, type Wish } from './run.ts';

const visits = Number(process.argv.find((a) => a.startsWith('--visits='))?.slice(9) ?? 10_000_000);
const CONVERSIONS_EVERY = 50;
const DAYS = 60;
const DAY_MS = 86_400_000;
const AT_ONCE = 5000;
const url = process.env.DATABASE_URL!;
const scene = await makeScene(url, 40);
const settings = await assertDurable(scene.client);
const { deskId } = scene.by;
const firstMs = Math.floor(Date.now() / DAY_MS) * DAY_MS - DAYS * DAY_MS;
const day = (n: number): string => new Date(firstMs + n * DAY_MS).toISOString().slice(0, 10);
const period = { from: day(0), to: day(DAYS) };

/** The same for the same number; values of different width, as sources send them. */
const mixed = (n: number, salt: number): number => Math.imul(n ^ salt, 0x9e3779b1) >>> 0;
const campaigns = Array.from(
  { length: 40 },
  (_, n) => makeUlid(firstMs, Array(16).fill(n % 32)).slice(0, 25) + (n < 32 ? 'A' : 'B'),
);
const one = <T>(all: readonly T[], n: number): T => all[n % all.length]!;
function visitOf(n: number): VisitRecord {
  const atMs = firstMs + Math.floor((n / visits) * DAYS * DAY_MS);
  const m = (salt: number, of: number): number => mixed(n, salt) % of;
  return {
    ...unknownVisit,
    deskId,
    id: makeUlid(
      atMs,
      Array.from({ length: 16 }, (_, i) => (i < 6 ? (n >> (i * 5)) & 31 : m(i, 32))),
    ),
    atMs,
    campaignId: one(campaigns, m(101, 997)),
    sourceId: one(campaigns, m(102, 3)),
    offerId: one(campaigns, m(103, 7)),
    networkId: one(campaigns, m(104, 4)),
    country: one(['BE', 'NL', 'DE', 'FR', 'DK', 'JP', 'CA', 'IT'], m(105, 911)),
    device: one(['phone', 'desktop', 'tablet'], m(106, 911)),
    os: one(['Android', 'iOS', 'Windows', 'macOS'], m(107, 911)),
    browser: one(['Chrome', 'Safari', 'Firefox', 'Edge'], m(108, 911)),
    isBot: m(109, 30) === 0,
    isUnique: m(110, 3) > 0,
    costMicros: BigInt(10_000 + m(111, 300_000)),
    costCurrency: 'EUR',
    subs: {
      site: `site-${m(1, 10_000)}.example`,
      zone: `z${m(2, 400)}`,
      ad: `ad ${m(3, 60)}`,
      camp: `c${m(4, 25)}`,
      pos: String(m(5, 4)),
      kw: `keyword ${m(6, 2000)}`,
      fmt: one(['push', 'pop'], m(7, 911)),
      title: `Title number ${m(8, 90)}`,
    },
    address: '',
    userAgent: '',
  } as VisitRecord;
}

/** One day of a source billed site by site: until all of it is on its visits, and what the sites then take to be asked. */
async function measureCosts() {
  const [sourceId, billed] = [campaigns[0]!, day(DAYS - 2)];
  const entries = 10_000;
  await pool.query(
    `INSERT INTO parts (id, desk_id, kind, name, body) VALUES ($1, $2, 'source', 'Bench', '{"feePercent": "0", "billedPerArrived": "1000000"}')
     ON CONFLICT DO NOTHING`,
    [sourceId, deskId],
  );
  const loadId = makeUlid(Date.now(), Array(16).fill(1));
  await pool.query(
    `INSERT INTO cost_loads (id, desk_id, source_id, kind, state, made_by) VALUES ($1, $2, $3, 'file', 'done', '')`,
    [loadId, deskId, sourceId],
  );
  await pool.query(
    `INSERT INTO cost_entries (desk_id, load_id, source_id, subs, first_day, last_day, from_at, to_at, is_credit, amount_micros, currency, fee_percent)
     SELECT $1, $2, $3, jsonb_build_object('site', 'site-' || n || '.example'), $4::date, $4::date, $4::date::timestamp AT TIME ZONE 'UTC',
       ($4::date + 1)::timestamp AT TIME ZONE 'UTC', false, 1000000 + n, 'EUR', 0 FROM generate_series(0, $5::int - 1) n`,
    [deskId, loadId, sourceId, billed, entries],
  );
  const wanted = BigInt(entries) * 1_000_000n + BigInt((entries * (entries - 1)) / 2);
  const asked = {
    by: ['sub_site'],
    from: billed,
    to: billed,
    only: [{ by: 'source_id', is: 'is', values: [sourceId] }],
  };
  const fileCost = async (): Promise<bigint> => BigInt((await ask(asked)).total.fileCostMicros);
  const began = performance.now();
  await pool.query(`INSERT INTO fact_changes (desk_id, kind, subject_id, day) VALUES ($1, 'cost', $2, $3)`, [
    deskId,
    loadId,
    billed,
  ]);
  while ((await fileCost()) !== wanted) await pause(50);
  const settledMs = performance.now() - began;
  const times: number[] = [];
  for (let n = 0; n < RUNS; n++) {
    const at = performance.now();
    await ask({ by: ['sub_site'] });
    times.push(performance.now() - at);
  }
  const reportMs = times.sort((a, b) => a - b)[Math.floor(RUNS / 2)]!;
  return { entries, settledMs: round(settledMs, 0), allSitesMs: round(reportMs, 0) };
}

// Without the limits of the server's own pools: a plain question over ten million rows may take minutes.
const pool = new pg.Pool({ connectionString: url, max: 4 });
const there = (await pool.query<{ n: string }>('SELECT count(*) AS n FROM visits')).rows[0]!.n;
const loadBegan = performance.now();
if (Number(there) === 0) {
  const commit = commitVisits(pool);
  // One batch is made while another is written.
  let writing = Promise.resolve();
  for (let n = 0; n < visits; n += AT_ONCE) {
    const rows = Array.from({ length: Math.min(AT_ONCE, visits - n) }, (_, i) => visitOf(n + i));
    await writing;
    writing = commit(rows);
    if (n % 1_000_000 === 0) say(`${n} visits written`);
  }
  await writing;
  await pool.query(
    `INSERT INTO conversions (id, desk_id, owner, event_type_id, ident, is_test, status, payout_micros, currency, base_micros,
       converted_at, click_id, visit_at, subs, campaign_id, source_id, offer_id, network_id, country, device, os, browser)
     SELECT v.id, desk_id, v.id, e.id, 'first', false, CASE WHEN n % 3 = 0 THEN 'pending' ELSE 'approved' END, 4000000, 'EUR', 4000000,
       at + interval '1 hour', v.id, at, subs, campaign_id, source_id, offer_id, network_id, country, device, os, browser
     FROM (SELECT *, row_number() OVER () AS n FROM visits WHERE desk_id = $1) v,
       (SELECT id FROM parts WHERE desk_id = $1 AND kind = 'event-type' ORDER BY id LIMIT 1) e WHERE n % ${CONVERSIONS_EVERY} = 0`,
    [deskId],
  );
  await pool.query('ANALYZE');
  // Each run leaves the few visits by which it measures the lag.
} else if (Number(there) < visits || Number(there) > visits * 1.001)
  throw new Error(`the database has ${there} visits`);
const loadSeconds = round((performance.now() - loadBegan) / 1000, 0);
say(`loaded in ${loadSeconds} s`);

const folder = mkdtempSync(join(tmpdir(), 'tracheon-numbers-'));
const program = new ChildProgram(['server/dist/numbers.mjs'], {
  DATABASE_URL: url,
  TRACHEON_SECRET: 'only for benches, and longer than thirty-two',
  TRACHEON_DATA: folder,
  TRACHEON_LOG: 'warn',
});
const call = <T>(method: string, path: string, body?: unknown): Promise<T> =>
  new Promise((done, failed) => {
    const req = request({ socketPath: join(folder, 'numbers.sock'), method, path, agent: false }, (res) => {
      let text = '';
      res.setEncoding('utf8').on('data', (c: string) => (text += c));
      res.on('end', () => (res.statusCode === 200 ? done(JSON.parse(text) as T) : failed(new Error(text))));
    });
    req.on('error', failed).end(body === undefined ? undefined : JSON.stringify(body));
  });
await program.says(/listening/);
const buildBegan = performance.now();
while ((await call<{ state: string }>('GET', '/state')).state !== 'ready') await pause(200);
const buildSeconds = round((performance.now() - buildBegan) / 1000, 1);
const indexMb = round(statSync(join(folder, 'numbers.duckdb')).size / 1024 / 1024, 0);
say(`indexed in ${buildSeconds} s: ${indexMb} MB`);

const ask = (asked: object): Promise<NumbersAnswer> =>
  call('POST', '/ask', { deskId, asked: numbersAsked.parse({ ...period, limit: 100, ...asked }) });
const campaign = campaigns[5]!;
const COUNTED =
  'count(*) FILTER (WHERE NOT is_bot AND NOT is_repeat AND NOT is_test) AS visits, sum(cost_micros) AS spent';
const local = `(at AT TIME ZONE 'UTC')`;
interface Case {
  name: string;
  asked: object;
  plain: string;
  /** One level: wanted to be far faster than PostgreSQL. */
  isOneLevel?: true;
  mostMs: number;
}
const one300 = { mostMs: 300, isOneLevel: true } as const;
const cases: Case[] = [
  {
    name: 'by day',
    asked: { by: ['day'] },
    plain: `SELECT ${local}::date::text AS k, ${COUNTED} FROM visits GROUP BY 1`,
    ...one300,
  },
  {
    name: 'by campaign',
    asked: { by: ['campaign_id'] },
    plain: `SELECT campaign_id AS k, ${COUNTED} FROM visits GROUP BY 1`,
    ...one300,
  },
  {
    name: 'sites of a campaign',
    asked: { by: ['sub_site'], under: [{ by: 'campaign_id', value: campaign }] },
    plain: `SELECT subs->>'site' AS k, ${COUNTED} FROM visits WHERE campaign_id = '${campaign}' GROUP BY 1`,
    ...one300,
  },
  {
    name: 'all 10 000 sites',
    asked: { by: ['sub_site'] },
    plain: `SELECT subs->>'site' AS k, ${COUNTED} FROM visits GROUP BY 1`,
    ...one300,
  },
  {
    name: 'search in 10 000 sites',
    asked: { by: ['sub_site'], search: 'site-77' },
    plain: `SELECT subs->>'site' AS k, ${COUNTED} FROM visits WHERE subs->>'site' LIKE '%site-77%' GROUP BY 1`,
    ...one300,
  },
  {
    name: 'campaign, country',
    asked: { by: ['campaign_id', 'country'] },
    plain: `SELECT campaign_id || ' ' || country AS k, ${COUNTED} FROM visits GROUP BY campaign_id, country`,
    mostMs: 300,
  },
  {
    name: 'campaign, country, zone',
    asked: { by: ['campaign_id', 'country', 'sub_zone'] },
    plain: `SELECT campaign_id || ' ' || country || ' ' || (subs->>'zone') AS k, ${COUNTED} FROM visits GROUP BY campaign_id, country, subs->>'zone'`,
    mostMs: 600,
  },
  {
    name: 'hour, weekday',
    asked: { by: ['hour', 'weekday'] },
    plain: `SELECT to_char(${local}, 'HH24') || ' ' || extract(isodow FROM ${local}) AS k, ${COUNTED} FROM visits GROUP BY 1`,
    mostMs: 300,
  },
];
const onlyWatches = process.argv.includes('--only=watches');
const watches = await measureWatches({
  pool,
  models: scene.models,
  by: scene.by,
  ask: (desk, asked) => call('POST', '/ask', { deskId: desk, asked }),
  nowMs: firstMs + DAYS * DAY_MS,
});
say(
  `${watches.watches} watches in ${watches.shapes} shapes: ${watches.firstSeconds} s at first, then ${watches.seconds} s`,
);
const RUNS = 5;
const measured: { name: string; plainMs: number; firstMs: number; reportMs: number; ratio: number }[] = [];
const wishes: Wish[] = [];
for (const { name, asked, plain, mostMs, isOneLevel } of onlyWatches ? [] : cases) {
  let plainMs = 0;
  const known = new Map<string, number>();
  for (let n = 0; n < 2; n++) {
    const began = performance.now();
    const { rows } = await pool.query<{ k: string; visits: string }>(plain);
    plainMs = performance.now() - began;
    for (const r of rows) known.set(r.k, Number(r.visits));
  }
  const times: number[] = [];
  for (let n = 0; n < RUNS; n++) {
    const began = performance.now();
    const { rows, count } = await ask(asked);
    times.push(performance.now() - began);
    if (count !== known.size) throw new Error(`${name}: ${count} rows, PostgreSQL has ${known.size}`);
    for (const r of rows)
      if (known.get(r.values.join(' ')) !== r.figures.visits)
        throw new Error(`${name}: ${r.values.join(' ')} differs`);
  }
  const firstMs = times[0]!;
  const reportMs = times.sort((a, b) => a - b)[Math.floor(RUNS / 2)]!;
  measured.push({
    name,
    plainMs: round(plainMs, 0),
    firstMs: round(firstMs, 0),
    reportMs: round(reportMs, 0),
    ratio: round(plainMs / reportMs, 1),
  });
  say(
    `${name}: ${round(plainMs, 0)} ms plain, ${round(firstMs, 0)} ms at first, ${round(reportMs, 0)} ms again`,
  );
  wishes.push(atMost(`${name} ms at first`, round(firstMs, 0), mostMs));
  wishes.push(atMost(`${name} ms`, round(reportMs, 0), mostMs));
  if (isOneLevel)
    wishes.push({
      name: `${name}: ${round(plainMs / reportMs, 1)} × plain ≥ 20`,
      met: plainMs / reportMs >= 20,
    });
}

// How long after its commit a visit is in the answers.
const lags: number[] = [];
for (let n = 0; n < RUNS; n++) {
  const before = (await ask({ by: ['campaign_id'], from: day(DAYS - 1), to: day(DAYS) })).total.visits;
  const late = {
    ...visitOf(visits - 1 - n),
    isBot: false,
    isRepeat: false,
    // Not that of an earlier run.
    id: makeUlid(
      firstMs + DAYS * DAY_MS - 1,
      [...randomBytes(16)].map((b) => b % 32),
    ),
  };
  await commitVisits(pool)([late]);
  const began = performance.now();
  while ((await ask({ by: ['campaign_id'], from: day(DAYS - 1), to: day(DAYS) })).total.visits === before)
    await pause(20);
  lags.push(performance.now() - began);
}
const costs = onlyWatches ? null : await measureCosts();
const rssMb = round(
  Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${program.pid}/status`, 'utf8'))![1]) / 1024,
  0,
);
program.signal('SIGTERM');
await program.ended;
rmSync(folder, { recursive: true, force: true });
await pool.end();
const bytes = round((indexMb * 1024 * 1024) / visits, 1);
finish(
  {
    visits,
    loadSeconds,
    buildSeconds,
    indexMb,
    bytesPerVisit: bytes,
    lagMs: round(Math.max(...lags), 0),
    costs,
    watches,
    rssMb,
    cases: measured,
    ...settings,
  },
  [
    ...wishes,
    atMost('seconds for 1 000 watches', watches.seconds, 30),
    atMost('bytes of the index for each visit', bytes, 48),
    atMost('lag ms', round(Math.max(...lags), 0), 2000),
  ],
);
