/** Feeds: revenue that a provider tells by its API, against a provider on a real socket that answers as it is told to. */
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import {
  numbersAsked,
  type ConversionRow,
  type FeedInput,
  type FeedRecord,
  type FeedRun,
  type FeedTrial,
  type Problem,
} from '@tracheon/core/contract';
import { DateTime } from 'luxon';
import { makeUlid } from '@tracheon/core/identity';
import { localDay } from '@tracheon/core/time';
import { unknownVisit } from '@tracheon/core/visits';
import { ensurePartitions } from '../../server/db/partitions.ts';
import { commitVisits } from '../../server/events/commitRows.ts';
import type { VisitRecord } from '../../server/events/rows.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { until, type Chain } from './testDesk.ts';
import { caughtUp, openIndex } from './testIndex.ts';

const KEY = 'k-4471-secret';
const DAY = new Date().toISOString().slice(0, 10);
/** When the day of UTC ends, the desk's own is the next one already. */
const dayOfTheDesk = (): { from: string; to: string } => {
  const day = localDay(Date.now(), 'Europe/Brussels');
  return { from: day, to: day };
};

interface ProviderRow {
  sub: string;
  search: string | number;
  click?: string | number;
}
/** What the provider answers; by day. */
const provider = {
  rows: new Map<string, ProviderRow[]>(),
  state: 'estimate',
  perPage: 100,
  stated: null as number | null,
  asked: [] as string[],
  answer: null as ((req: IncomingMessage, res: ServerResponse) => void) | null,
};
function answer(req: IncomingMessage, res: ServerResponse): void {
  const url = new URL(req.url!, 'http://x');
  provider.asked.push(req.url!);
  if (provider.answer) return provider.answer(req, res);
  const say = (status: number, body: unknown): void =>
    void res.writeHead(status, { 'Content-Type': 'application/json' }).end(JSON.stringify(body));
  if (url.pathname === '/token')
    return req.headers.authorization === `Basic ${Buffer.from(`mira:${KEY}`).toString('base64')}`
      ? say(200, { access: 'token-1' })
      : say(401, {});
  if (req.headers['x-api-key'] !== KEY && req.headers.authorization !== 'Bearer token-1') return say(403, {});
  const page = Number(url.searchParams.get('page'));
  const all = provider.rows.get(url.searchParams.get('day')!) ?? [];
  const rows = all.slice((page - 1) * provider.perPage, page * provider.perPage);
  say(200, { state: provider.state, total: provider.stated ?? all.length, data: { rows } });
}

let server: Server;
let port: number;
let desk: OwnDesk;
let chain: Chain;
let eventTypes: { search: string; click: string };
beforeAll(async () => {
  server = createServer(answer);
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  port = (server.address() as AddressInfo).port;
  desk = await openOwnServer({ TRACHEON_ALLOW_OUTGOING: `127.0.0.1:${port}` });
  const search = await desk.make('event-type', { name: 'Search', word: 'search' });
  const click = await desk.make('event-type', {
    name: 'Search click',
    word: 'search_click',
    countsAsConversion: false,
  });
  eventTypes = { search: search.id, click: click.id };
  chain = await desk.chain({ offer: feedOffer() });
});
const feedOffer = () => ({
  conversionsFrom: Object.values(eventTypes).map((id) => ({ eventTypeId: id, channel: 'feed' })),
  currency: 'EUR',
});
afterAll(async () => {
  await desk.close();
  server.closeAllConnections();
  server.close();
});
beforeEach(() => {
  Object.assign(provider, { state: 'estimate', perPage: 100, stated: null, asked: [], answer: null });
  provider.rows.clear();
});

let serial = 0;
const input = (more: Partial<FeedInput> & { secret?: string } = {}) => ({
  name: `Copperleaf ${++serial}`,
  networkId: chain.network.id,
  url: `http://127.0.0.1:${port}/report?day={day}`,
  signIn: 'header',
  signInName: 'X-Api-Key',
  rowsAt: 'data.rows',
  paging: 'page',
  pageParameter: 'page',
  countAt: 'total',
  slotAt: 'sub',
  counters: [{ amountAt: 'search', eventTypeId: eventTypes.search }],
  currency: 'EUR',
  finals: 'field',
  finalAt: 'state',
  finalWord: 'final',
  fromDay: '2026-01-01',
  secret: KEY,
  ...more,
});
const add = async (more: Parameters<typeof input>[0] = {}): Promise<FeedRecord> => {
  const { status, body } = await desk.owner.post<FeedRecord>('/feeds', input(more));
  expect([status, body]).toEqual([200, expect.anything()]);
  return body;
};
const runs = async (feed: FeedRecord): Promise<FeedRun[]> =>
  (await desk.owner.get<{ rows: FeedRun[] }>(`/feeds/${feed.id}/runs`)).body.rows;
/** Fetches the day once more, and waits for the run's end. */
async function fetched(feed: FeedRecord, day = DAY): Promise<FeedRun> {
  const before = (await runs(feed)).length;
  expect((await desk.owner.post(`/feeds/${feed.id}/run`, { from: day, to: day })).status).toBe(200);
  await until(async () => {
    const now = await runs(feed);
    return now.length > before && !['queued', 'running', 'fetched'].includes(now[0]!.state);
  }, 'the run');
  return (await runs(feed))[0]!;
}
const of = async (clickId: string): Promise<string[]> =>
  (await desk.booked())
    .filter((c: ConversionRow) => c.clickId === clickId)
    .map((c) => `${c.status} ${c.payoutMicros}`)
    .sort();
const tell = (...rows: ProviderRow[]): void => void provider.rows.set(DAY, rows);

describe('a feed', () => {
  it('tells an estimate first, and a day later for good what it came to', async () => {
    const feed = await add();
    const [a, b] = [await chain.send('clk=f1'), await chain.send('clk=f2')];
    tell({ sub: a, search: '1.50' }, { sub: b, search: 2 });
    expect(await fetched(feed)).toMatchObject({
      state: 'done',
      rows: 2,
      amountMicros: '3500000',
      told: 2,
      isFinal: false,
    });
    expect([await of(a), await of(b)]).toEqual([['pending 1500000'], ['pending 2000000']]);
    // Nothing new: no receipt.
    expect(await fetched(feed)).toMatchObject({ told: 0 });
    tell({ sub: a, search: '1.75' }, { sub: b, search: 2 });
    expect(await fetched(feed)).toMatchObject({ told: 1 });
    expect(await of(a)).toEqual(['pending 1750000']);
    provider.state = 'final';
    tell({ sub: a, search: '1.80' }, { sub: b, search: '2.00' });
    expect(await fetched(feed)).toMatchObject({ isFinal: true, isComplete: true, told: 2 });
    expect([await of(a), await of(b)]).toEqual([['approved 1800000'], ['approved 2000000']]);
    // A correction, and a row that is gone.
    tell({ sub: a, search: '3.00' });
    expect(await fetched(feed)).toMatchObject({ told: 2 });
    expect([await of(a), await of(b)]).toEqual([['approved 3000000'], ['rejected 2000000']]);
    // An estimate that comes after it changes nothing.
    provider.state = 'estimate';
    tell({ sub: a, search: '9.00' }, { sub: b, search: '9.00' });
    expect(await fetched(feed)).toMatchObject({ told: 0 });
    expect(await of(a)).toEqual(['approved 3000000']);
  });

  it('of a day that goes on tells of no conversion that is later than now', async () => {
    const zones = ['UTC', 'Pacific/Pago_Pago', 'Pacific/Kiritimati', 'Asia/Tokyo'];
    const now = zones.map((zone) => DateTime.now().setZone(zone)).find(({ hour }) => hour < 10)!;
    const feed = await add({ zone: now.zoneName! });
    const a = await chain.send('clk=f3');
    provider.rows.set(now.toISODate()!, [{ sub: a, search: '1.50' }]);
    expect(await fetched(feed, now.toISODate()!)).toMatchObject({ told: 1 });
    const [conversion] = (await desk.booked()).filter((c) => c.clickId === a);
    expect(Date.parse(conversion!.at)).toBeLessThanOrEqual(Date.now());
    expect(Date.parse(conversion!.at)).toBeGreaterThanOrEqual(now.toMillis());
  });

  it('counts each of its amounts as the event type that was chosen for it, page by page', async () => {
    const counters = [
      { amountAt: 'search', eventTypeId: eventTypes.search },
      { amountAt: 'click', eventTypeId: eventTypes.click },
    ];
    const feed = await add({ counters });
    const a = await chain.send('clk=g1');
    provider.perPage = 1;
    tell({ sub: a, search: '0.10', click: '0.30' }, { sub: 'no-click-id', search: '5', click: 0 });
    expect(await fetched(feed)).toMatchObject({ rows: 2, amountMicros: '5400000', told: 3 });
    expect(await of(a)).toEqual(['pending 100000', 'pending 300000']);
    // A row that matches no visit is kept, and can be repaired.
    expect((await desk.postbacksIn()).filter((p) => p.outcome === 'repair')).toHaveLength(1);
    expect(provider.asked.map((url) => new URL(url, 'http://x').searchParams.get('page'))).toEqual([
      '1',
      '2',
      '3',
    ]);
  });

  it('of two accounts tells their rows apart', async () => {
    const [first, second] = [await add(), await add()];
    const a = await chain.send('clk=h1');
    tell({ sub: a, search: 1 });
    await fetched(first);
    await fetched(second);
    expect(await of(a)).toEqual(['pending 1000000', 'pending 1000000']);
  });

  it('counts for comparison only where the offer’s conversions come from postbacks', async () => {
    const other = await desk.chain();
    const feed = await add();
    const a = await other.send('clk=i1');
    tell({ sub: a, search: 1 });
    const trial = await desk.owner.post<FeedTrial>('/feeds/try', { day: DAY, feed: input() });
    expect(trial.body).toMatchObject({ problem: '', count: 1, matched: 1, amountMicros: '1000000' });
    expect(trial.body.advice).toContain(`“${other.offer.body.name}”: choose “a feed”`);
    await fetched(feed);
    expect(await of(a)).toEqual([]);
  });
});

it('says in the numbers how much is estimated, until the final has come', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'tracheon-feeds-'));
  const troubles: string[] = [];
  const kept = openIndex(desk.pool, join(folder, 'numbers.duckdb'), troubles);
  const figures = async (): Promise<unknown[]> => {
    await caughtUp(desk.pool, kept, troubles);
    const shown = {
      ...dayOfTheDesk(),
      by: ['sub_site'],
      search: 'estimate',
      sort: 'estimatedShare',
      isDescending: false,
      having: [{ figure: 'expectedMicros', is: '>=', than: 0.5 }],
    };
    const answer = await kept.ask(desk.deskId, numbersAsked.parse(shown), new AbortController().signal);
    return answer!.rows.map((r) => [
      r.values[0],
      r.figures.expectedMicros,
      r.figures.estimatedMicros,
      r.figures.estimatedShare,
    ]);
  };
  try {
    // Of two feeds one means that its estimates are on hold, the other one that they are earned.
    const own = await desk.chain({ offer: feedOffer() });
    const of = { networkId: own.network.id };
    const [held, earned] = [await add(of), await add({ ...of, estimates: 'approved' })];
    const [a, b] = [await own.send('clk=e1&site=estimate-a'), await own.send('clk=e2&site=estimate-b')];
    tell({ sub: a, search: '1.00' });
    await fetched(held);
    tell({ sub: a, search: '3.00' }, { sub: b, search: '2.00' });
    await fetched(earned);
    expect(await figures()).toEqual([
      ['estimate-a', '4000000', '4000000', 1],
      ['estimate-b', '2000000', '2000000', 1],
    ]);
    provider.state = 'final';
    // It says of `a` what the estimate said, so nothing is booked.
    tell({ sub: a, search: '3.00' }, { sub: b, search: '2.50' });
    expect(await fetched(earned)).toMatchObject({ told: 1 });
    expect(await figures()).toEqual([
      ['estimate-b', '2500000', '0', 0],
      ['estimate-a', '4000000', '1000000', 0.25],
    ]);
    tell({ sub: a, search: '1.00' });
    await fetched(held);
    kept.drop();
    await until(() => Promise.resolve(kept.state.state === 'building'), 'the rebuild');
    expect(await figures()).toEqual([
      ['estimate-a', '4000000', '0', 0],
      ['estimate-b', '2500000', '0', 0],
    ]);
  } finally {
    await kept.close();
    rmSync(folder, { recursive: true, force: true });
  }
});

it('a back-fill tells sources of no conversion that is older than three days', async () => {
  const atMs = Date.now() - 5 * 86_400_000;
  const old = makeUlid(
    atMs,
    Array.from({ length: 16 }, (_, i) => i),
  );
  await ensurePartitions(desk.pool, atMs, atMs);
  await commitVisits(desk.pool)([
    {
      ...unknownVisit,
      deskId: desk.deskId,
      id: old,
      atMs,
      campaignId: chain.campaign.id,
      campaignVersion: 1,
      sourceId: chain.source.id,
      offerId: chain.offer.id,
      networkId: chain.network.id,
      address: '',
      userAgent: '',
    } as VisitRecord,
  ]);
  const feed = await add();
  const a = await chain.send('clk=q1');
  const oldDay = new Date(atMs).toISOString().slice(0, 10);
  provider.rows.set(oldDay, [{ sub: old, search: 2 }]);
  tell({ sub: a, search: 1 });
  expect(await fetched(feed, oldDay)).toMatchObject({ told: 1 });
  await fetched(feed);
  expect([await of(old), await of(a)]).toEqual([['pending 2000000'], ['pending 1000000']]);
  const { rows } = await desk.pool.query<{ click_id: string; reported: boolean }>(
    'SELECT click_id, reported FROM conversions WHERE click_id = ANY ($1)',
    [[old, a]],
  );
  expect(Object.fromEntries(rows.map((r) => [r.click_id, r.reported]))).toEqual({ [old]: false, [a]: true });
});

describe('a final', () => {
  it('that is empty or much smaller waits until somebody confirms it', async () => {
    const feed = await add();
    const a = await chain.send('clk=j1');
    tell({ sub: a, search: 4 });
    await fetched(feed);
    provider.state = 'final';
    tell({ sub: a, search: 1 });
    const run = await fetched(feed);
    expect(run).toMatchObject({ state: 'waiting', problem: expect.stringContaining('less than half') });
    expect(await of(a)).toEqual(['pending 4000000']);
    expect((await desk.owner.post<FeedRun>(`/feed-runs/${run.id}/confirm`, {})).status).toBe(200);
    await until(async () => (await of(a))[0] === 'approved 1000000', 'the confirmed final');
    expect((await desk.owner.post(`/feed-runs/${run.id}/confirm`, {})).status).toBe(404);
  });
  it('that is not whole does not count, and is asked for again', async () => {
    const feed = await add();
    const a = await chain.send('clk=k1');
    provider.state = 'final';
    provider.stated = 2;
    tell({ sub: a, search: 4 });
    await desk.owner.post(`/feeds/${feed.id}/run`, { from: DAY, to: DAY });
    await until(async () => (await runs(feed))[0]?.problem !== '', 'the problem');
    expect((await runs(feed))[0]).toMatchObject({
      state: 'running',
      problem:
        'The provider sent 1 row with 4.00, but states 2 rows with 4.00. A final counts only as a whole.',
    });
    expect(await of(a)).toEqual([]);
  });
});

describe('a run whose process was killed', () => {
  const id = (n: number): string => `01J${'0'.repeat(22)}${n}`;
  const left = (feed: FeedRecord, n: number, state: string, key: string) =>
    desk.pool.query(
      `WITH run AS (INSERT INTO feed_runs (id, desk_id, feed_id, day, state, lease, leased_until)
         VALUES ($1, $2, $3, $4, $5, 'dead', now() - interval '1 second') RETURNING id)
       INSERT INTO feed_rows SELECT id, 0, $6, $7, 9000000, 'EUR' FROM run`,
      [id(n), desk.deskId, feed.id, DAY, state, key, eventTypes.search],
    );
  const done = async (feed: FeedRecord): Promise<void> =>
    until(async () => (await runs(feed))[0]?.state === 'done', 'the run to be finished by another');
  it('while it fetched is fetched anew: what it had is not counted', async () => {
    const feed = await add();
    const [a, b] = [await chain.send('clk=o1'), await chain.send('clk=o2')];
    tell({ sub: a, search: 1 });
    await left(feed, 1, 'running', b);
    await done(feed);
    expect([await of(a), await of(b)]).toEqual([['pending 1000000'], []]);
  });
  it('while it was taken in goes on with what was fetched', async () => {
    const feed = await add();
    const b = await chain.send('clk=p2');
    await left(feed, 2, 'fetched', b);
    await done(feed);
    expect(await of(b)).toEqual(['pending 9000000']);
    expect(provider.asked).toEqual([]);
    // Its rows are put away.
    const { rows } = await desk.pool.query('SELECT 1 FROM feed_rows WHERE run_id = $1', [id(2)]);
    expect(rows).toEqual([]);
  });
});

describe('what goes wrong is told in a sentence', () => {
  const failing = async (more: Parameters<typeof input>[0]): Promise<string> => {
    const run = await fetched(await add(more));
    expect(run.state).toBe('failed');
    return run.problem;
  };
  it('a wrong key, a wrong address, a web page, another address, an endless paging', async () => {
    expect(await failing({ secret: 'wrong' })).toBe(
      'The provider refuses the key (status 403). Enter the user and the key again.',
    );
    provider.answer = (_, res) => void res.writeHead(302, { Location: 'http://127.0.0.1:1/' }).end();
    expect(await failing({})).toContain('sends on to another address');
    provider.answer = (_, res) => void res.end('<html>Sign in</html>');
    expect(await failing({})).toContain('a web page instead of JSON');
    provider.answer = (_, res) => void res.end('{"data":{"rows":[{"sub"');
    expect(await failing({})).toContain('cut off');
    provider.answer = (req, res) => void res.end(JSON.stringify({ data: { rows: [] }, next: req.url }));
    expect(await failing({ paging: 'next', nextAt: 'next' })).toContain('names itself');
    provider.answer = (_, res) =>
      void res.end(JSON.stringify({ data: { rows: [] }, next: 'http://192.0.2.1/p2' }));
    expect(await failing({ paging: 'next', nextAt: 'next' })).toContain('doesn’t send the key there');
    expect(await failing({ url: 'http://10.0.0.1/report?day={day}' })).toContain('private address');
    provider.answer = null;
    tell({ sub: 'x', search: '1,5' });
    expect(await failing({})).toContain('Row 1, search');
  });
  it('a provider in trouble is asked again when it says so', async () => {
    const feed = await add();
    const a = await chain.send('clk=l1');
    tell({ sub: a, search: 1 });
    let times = 0;
    provider.answer = (req, res) => {
      if (times++ === 0) return void res.writeHead(503, { 'Retry-After': '1' }).end();
      provider.answer = null;
      answer(req, res);
    };
    expect(await fetched(feed)).toMatchObject({ state: 'done', told: 1 });
    expect(times).toBe(2);
  });
  it('fields that are not chosen yet are asked for, beside the rows', async () => {
    tell({ sub: 'x', search: 1 });
    const feed = input({ slotAt: '?', counters: [{ amountAt: '?', eventTypeId: eventTypes.search }] });
    const { body } = await desk.owner.post<FeedTrial>('/feeds/try', { day: DAY, feed });
    expect(body).toMatchObject({ problem: '', count: 1, amountMicros: '0' });
    expect(body.advice).toContain('Choose the fields with the click ID and with the amount');
    expect(body.rows[0]).toContainEqual({ at: 'sub', value: 'x' });
  });
  it('a wrong slot, with the field that is right', async () => {
    const a = await chain.send('clk=m1');
    provider.rows.set(DAY, [{ sub: 'site-12', search: 1, click: a }]);
    const { body } = await desk.owner.post<FeedTrial>('/feeds/try', { day: DAY, feed: input() });
    expect(body.advice).toBe('The field “sub” holds “site-12”, not a click ID of this desk. Choose “click”.');
    expect(body.rows[0]).toContainEqual({ at: 'click', value: a });
  });
});

describe('a key', () => {
  it('is exchanged for a token, kept encrypted, never told, and sent to no other address', async () => {
    const token = {
      signIn: 'token',
      user: 'mira',
      signInName: 'Authorization',
      signInPrefix: 'Bearer ',
    } as const;
    const feed = await add({ ...token, tokenUrl: `http://127.0.0.1:${port}/token`, tokenAt: 'access' });
    const a = await chain.send('clk=n1');
    tell({ sub: a, search: 1 });
    expect(await fetched(feed)).toMatchObject({ state: 'done', told: 1 });
    expect(JSON.stringify((await desk.owner.get('/feeds')).body)).not.toContain(KEY);
    const { rows } = await desk.pool.query<{ text: string }>(
      'SELECT f::text AS text FROM feeds f UNION ALL SELECT s::text FROM secrets s',
    );
    expect(rows.length).toBeGreaterThan(0);
    expect(rows.map((r) => r.text).join()).not.toContain(KEY);
    const moved = { ...feed.body, url: 'https://elsewhere.example/report?day={day}', secret: '' };
    for (const refused of [
      await desk.owner.put<Problem>(`/feeds/${feed.id}`, moved),
      await desk.owner.post<Problem>('/feeds/try', { feedId: feed.id, day: DAY, feed: moved }),
    ]) {
      expect(refused.status).toBe(422);
      expect(refused.body.fields).toEqual([
        { path: 'secret', message: 'The address has changed. Enter the key again.' },
      ]);
    }
    // An unchanged address keeps it.
    const kept = await desk.owner.put<FeedRecord>(`/feeds/${feed.id}`, {
      ...feed.body,
      everyMinutes: 30,
      secret: '',
    });
    expect([kept.status, kept.body.hasSecret]).toEqual([200, true]);
  });
});
