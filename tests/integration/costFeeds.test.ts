/** Feeds of costs, and the ways of the practice providers: a token that ends, a report that is ordered, a key in a parameter. */
import express, { type Express } from 'express';
import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import {
  numbersAsked,
  type Attention,
  type CostEntryRow,
  type CostLoad,
  type FeedInput,
  type FeedRecord,
  type FeedRun,
  type FeedTemplate,
  type FeedTrial,
  type Problem,
} from '@tracheon/core/contract';
import { fromTemplate } from '@tracheon/core/feeds';
import { shiftDay } from '@tracheon/core/time';
import { buildFeed } from '../../practice/feed/buildFeed.ts';
import { REPORT_PASSWORD, REPORT_USER } from '../../practice/feed/reportFeed.ts';
import { REQUESTS_OF_A_TOKEN, TOKEN_ACCOUNTS } from '../../practice/feed/tokenFeed.ts';
import { dropReplacedCosts } from '../../server/feeds/takeInCosts.ts';
import type { KeptIndex } from '../../server/numbers/keptIndex.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { until, type Chain } from './testDesk.ts';
import { openIndex } from './testIndex.ts';

const DAY = new Date().toISOString().slice(0, 10);
const KEY = 'spend-key-4471';
interface SpendRow {
  campaign?: string;
  site?: string;
  spend: string | number;
  currency?: string;
}
/** What the source bills; `answer` takes its place. */
const spend = {
  rows: [] as SpendRow[],
  isFinal: false,
  answer: null as (() => Promise<{ status: number; body?: object }>) | null,
  asked: 0,
};
function spendApi(): Express {
  const app = express();
  app.get('/spend', async (req, res) => {
    spend.asked += 1;
    if (req.query.key !== KEY) return void res.status(403).json({});
    const other = await spend.answer?.();
    if (other) return void res.status(other.status).json(other.body ?? {});
    res.json({ state: spend.isFinal ? 'closed' : 'open', rows: spend.rows });
  });
  return app;
}
async function listen(app: Express): Promise<{ server: Server; port: number }> {
  const server = await new Promise<Server>((done) => {
    const one = app.listen(0, '127.0.0.1', () => done(one));
  });
  return { server, port: (server.address() as AddressInfo).port };
}

const folder = mkdtempSync(join(tmpdir(), 'tracheon-cost-feeds-'));
const practice = buildFeed({ stateFile: () => null });
let spendAt: Awaited<ReturnType<typeof listen>>;
let feedAt: Awaited<ReturnType<typeof listen>>;
let desk: OwnDesk;
let chain: Chain;
let index: KeptIndex;
beforeAll(async () => {
  [spendAt, feedAt] = [await listen(spendApi()), await listen(practice.app)];
  desk = await openOwnServer({
    TRACHEON_ALLOW_OUTGOING: `127.0.0.1:${spendAt.port},127.0.0.1:${feedAt.port}`,
  });
  chain = await desk.chain({
    source: {
      accounts: [{ name: 'West' }],
      costCurrency: 'EUR',
      parameters: [
        { parameter: 'clk', macro: '[click]', role: 'click_id' },
        { parameter: 'site', macro: '[site]', role: 'sub', sub: 'site' },
        { parameter: 'bid', macro: '[bid]', role: 'cost' },
      ],
    },
  });
  index = openIndex(desk.pool, join(folder, 'numbers.duckdb'));
});
afterAll(async () => {
  await index.close();
  await desk.close();
  practice.stop();
  for (const { server } of [spendAt, feedAt]) server.closeAllConnections();
  for (const { server } of [spendAt, feedAt]) server.close();
  rmSync(folder, { recursive: true, force: true });
});
beforeEach(() => void Object.assign(spend, { rows: [], isFinal: false, answer: null, asked: 0 }));

let serial = 0;
const input = (more: Partial<FeedInput> & { secret?: string } = {}) => ({
  name: `Spend ${++serial}`,
  gives: 'cost',
  sourceId: chain.source.id,
  url: `http://127.0.0.1:${spendAt.port}/spend?day={day}`,
  signIn: 'parameter',
  signInName: 'key',
  rowsAt: 'rows',
  amountAt: 'spend',
  subs: [{ name: 'site', at: 'site' }],
  currency: 'EUR',
  currencyAt: 'currency',
  finals: 'field',
  finalAt: 'state',
  finalWord: 'closed',
  fromDay: '2026-01-01',
  secret: KEY,
  ...more,
});
const add = async (body: object = input()): Promise<FeedRecord> => {
  const made = await desk.owner.post<FeedRecord>('/feeds', body);
  expect([made.status, made.body]).toEqual([200, expect.anything()]);
  return made.body;
};
const listed = (feed: FeedRecord) =>
  desk.owner
    .get<{ rows: FeedRun[]; batch: { days: number; ended: number } | null }>(`/feeds/${feed.id}/runs`)
    .then(({ body }) => body);
const OPEN = ['queued', 'running', 'fetched'];
const begin = async (feed: FeedRecord, from = DAY, to = from): Promise<void> =>
  expect((await desk.owner.post(`/feeds/${feed.id}/run`, { from, to })).status).toBe(200);
async function fetched(feed: FeedRecord): Promise<FeedRun> {
  const before = (await listed(feed)).rows.length;
  await begin(feed);
  await until(async () => {
    const { rows } = await listed(feed);
    return rows.length > before && !OPEN.includes(rows[0]!.state);
  }, 'the run');
  return (await listed(feed)).rows[0]!;
}
/** Entries of the feed's day that count. */
async function entries(feed: FeedRecord): Promise<CostEntryRow[]> {
  const loads = await desk.list<CostLoad>(`/costs?limit=200`);
  const own = loads.filter((l) => l.fileName === feed.body.name);
  expect(own.length).toBeLessThanOrEqual(1);
  return own.length === 0 ? [] : desk.list<CostEntryRow>(`/costs/${own[0]!.id}/entries?limit=200`);
}
const told = async (feed: FeedRecord): Promise<string[]> =>
  (await entries(feed))
    .map((e) => `${e.subs.map((s) => s.value).join()} ${e.isCredit ? '-' : ''}${e.amountMicros}`)
    .sort();

describe('a feed of costs', () => {
  it('replaces what it booked for a day, until the final, which no estimate follows', async () => {
    const feed = await add();
    spend.rows = [
      { site: 'moss.example', spend: '3.10' },
      { site: 'fern.example', spend: 1 },
    ];
    expect(await fetched(feed)).toMatchObject({ state: 'done', rows: 2, amountMicros: '4100000', told: 2 });
    expect(await told(feed)).toEqual(['fern.example 1000000', 'moss.example 3100000']);
    spend.rows = [
      { site: 'moss.example', spend: '3.50' },
      { site: 'fern.example', spend: 1 },
      { site: 'fern.example', spend: '-0.25' },
    ];
    spend.isFinal = true;
    expect(await fetched(feed)).toMatchObject({ state: 'done', isFinal: true, told: 3 });
    expect(await told(feed)).toEqual([
      'fern.example -250000',
      'fern.example 1000000',
      'moss.example 3500000',
    ]);
    spend.isFinal = false;
    spend.rows = [{ site: 'moss.example', spend: 9 }];
    expect(await fetched(feed)).toMatchObject({ state: 'done', told: 0 });
    expect(await told(feed)).toHaveLength(3);
    // What was replaced is kept a while, and then goes.
    const kept = async (): Promise<number> =>
      (await desk.pool.query('SELECT 1 FROM cost_loads WHERE feed_id = $1', [feed.id])).rows.length;
    expect(await kept()).toBe(2);
    await dropReplacedCosts(desk.pool, Date.now() + 3 * 86_400_000);
    expect(await kept()).toBe(1);
  });

  it('of an open day covers the visits that came before it was asked, by their site', async () => {
    const other = await desk.chain({ source: { ...chain.source.body, name: 'Open day' } });
    const feed = await add(input({ sourceId: other.source.id }));
    for (const n of [1, 2]) await other.send(`clk=v${n}&site=moss.example&bid=0.02`);
    spend.rows = [{ site: 'moss.example', spend: '0.07' }];
    await fetched(feed);
    await other.send('clk=v3&site=moss.example&bid=0.02');
    const cost = async (): Promise<(string | number)[][]> => {
      const asked = {
        from: shiftDay(DAY, -1),
        to: shiftDay(DAY, 1),
        by: ['sub_site'],
        only: [{ by: 'source_id', is: 'is', values: [other.source.id] }],
        limit: 10,
      };
      const answer = await index.ask(desk.deskId, numbersAsked.parse(asked), new AbortController().signal);
      return answer!.rows.map((r) => [r.values[0]!, r.figures.visits, r.figures.spentMicros]);
    };
    // Billed for the two, and the bid of the third.
    await until(async () => String(await cost()) === 'moss.example,3,90000', 'the cost of all three');
  });

  it('names campaigns that the source does not have, with what is not booked', async () => {
    const feed = await add(input({ campaignAt: 'campaign' }));
    spend.rows = [
      { campaign: chain.campaign.body.name.toUpperCase(), site: 'moss.example', spend: 2 },
      { campaign: 'Elsewhere', spend: '4.20' },
    ];
    expect(await fetched(feed)).toMatchObject({
      state: 'done',
      told: 1,
      notes: '4.20 EUR is not booked: this source has no campaign “Elsewhere”.',
    });
    expect(await entries(feed)).toMatchObject([{ campaignId: chain.campaign.id, amountMicros: '2000000' }]);
    const trial = await desk.owner.post<FeedTrial>('/feeds/try', {
      day: DAY,
      feed: input({ campaignAt: 'campaign' }),
    });
    expect(trial.body).toMatchObject({ count: 2, matched: 1, amountMicros: '6200000' });
    expect(trial.body.advice).toContain('no campaign named “Elsewhere”');
  });

  it('that is suddenly empty waits for a member; another currency fails in words', async () => {
    const feed = await add();
    // Nothing was billed yet: nobody has to look.
    expect(await fetched(feed)).toMatchObject({ state: 'done', rows: 0, told: 0 });
    spend.rows = [{ site: 'moss.example', spend: 5 }];
    await fetched(feed);
    spend.rows = [];
    const run = await fetched(feed);
    expect(run).toMatchObject({ state: 'waiting', problem: expect.stringContaining('less than half') });
    expect(await told(feed)).toEqual(['moss.example 5000000']);
    expect((await desk.owner.post(`/feed-runs/${run.id}/confirm`, {})).status).toBe(200);
    await until(async () => (await told(feed)).length === 0, 'the confirmed report');
    spend.rows = [{ spend: 1, currency: 'XYZ' }];
    expect(await fetched(feed)).toMatchObject({
      state: 'failed',
      problem: expect.stringContaining('Row 1 is in “XYZ”, but this feed is in EUR'),
    });
  });

  it('is refused in another currency than the source’s, for an account it does not have, or turned into another kind', async () => {
    const refused = async (answer: Promise<{ status: number; body: Problem }>): Promise<string[]> => {
      const { status, body } = await answer;
      expect(status).toBe(422);
      return body.fields!.map((f) => `${f.path}: ${f.message}`);
    };
    const made = await refused(
      desk.owner.post<Problem>('/feeds', input({ currency: 'USD', accountId: 'East' })),
    );
    expect(made).toEqual([
      'currency: This source bills in EUR.',
      'accountId: This source has no such account.',
    ]);
    const feed = await add();
    const turned = { ...feed.body, gives: 'revenue', networkId: chain.network.id, slotAt: 'x', secret: '' };
    const counters = [
      { amountAt: 'spend', eventTypeId: (await desk.make('event-type', { name: 'S', word: 's' })).id },
    ];
    expect(await refused(desk.owner.put<Problem>(`/feeds/${feed.id}`, { ...turned, counters }))).toEqual([
      'gives: This can’t change. Add another feed.',
    ]);
  });

  it('is undone for a day by a member, restored, and booked again by the next run', async () => {
    const feed = await add();
    spend.rows = [{ spend: 1 }];
    await fetched(feed);
    const own = async (): Promise<CostLoad[]> =>
      (await desk.list<CostLoad>('/costs?limit=200')).filter((l) => l.fileName === feed.body.name);
    const [load] = await own();
    const press = async (what: 'undo' | 'restore'): Promise<boolean> =>
      (await desk.owner.post<CostLoad>(`/costs/${load!.id}/${what}`, {})).body.isUndone;
    expect([await press('undo'), await press('restore'), await press('undo')]).toEqual([true, false, true]);
    spend.rows = [{ spend: 3 }];
    expect(await fetched(feed)).toMatchObject({ told: 1 });
    expect((await own()).map((l) => l.isUndone)).toEqual([false, true]);
    // Two loads of one day never count together.
    expect(await press('restore')).toBe(true);
  });
});

describe('days that are fetched together', () => {
  it('tell how far they are, and are stopped', async () => {
    const feed = await add();
    let go: () => void = () => undefined;
    const held = new Promise<void>((done) => (go = done));
    spend.answer = () => held.then(() => ({ status: 200, body: { state: 'open', rows: [{ spend: 1 }] } }));
    await begin(feed, shiftDay(DAY, -2), DAY);
    await until(async () => spend.asked > 0, 'the first request');
    expect((await listed(feed)).batch).toEqual({ days: 3, ended: 0, failed: 0 });
    expect((await desk.owner.post(`/feeds/${feed.id}/stop`, {})).body).toEqual({ stopped: 3 });
    go();
    const { rows, batch } = await listed(feed);
    expect([rows.map((r) => r.state), batch]).toEqual([['stopped', 'stopped', 'stopped'], null]);
    const left = await desk.pool.query(
      'SELECT 1 FROM feed_rows r JOIN feed_runs f ON f.id = r.run_id WHERE f.feed_id = $1',
      [feed.id],
    );
    expect(left.rows).toEqual([]);
    // The one that was under way books nothing, and the feed goes on when it is asked again.
    spend.answer = null;
    spend.rows = [{ spend: 2 }];
    expect(await fetched(feed)).toMatchObject({ state: 'done', told: 1 });
    expect(await told(feed)).toEqual([' 2000000']);
  });

  it('rest after five failures, until somebody asks', async () => {
    const feed = await add();
    const record = async (): Promise<FeedRecord> =>
      (await desk.owner.get<{ rows: FeedRecord[] }>('/feeds')).body.rows.find((f) => f.id === feed.id)!;
    spend.answer = async () => ({ status: 404 });
    await begin(feed, shiftDay(DAY, -6), DAY);
    await until(async () => (await record()).restsUntil !== null, 'the rest');
    const asked = spend.asked;
    expect(asked).toBe(5);
    expect((await listed(feed)).rows.filter((r) => r.state === 'queued')).toHaveLength(2);
    spend.answer = null;
    spend.rows = [{ spend: 1 }];
    await begin(feed);
    await until(
      async () => (await listed(feed)).rows.every((r) => !OPEN.includes(r.state)),
      'the rest to end',
    );
    expect((await record()).restsUntil).toBeNull();
    expect(spend.asked).toBeGreaterThan(asked);
  });
});

describe('the practice providers', () => {
  const from = (at: string) => `http://127.0.0.1:${feedAt.port}${at}`;
  const get = (at: string, init?: RequestInit): Promise<Response> => fetch(from(at), init);
  const partner = async (words: Record<string, string>) => {
    const types = Object.fromEntries(
      await Promise.all(
        Object.entries(words).map(
          async ([word, name]) => [word, (await desk.make('event-type', { name, word })).id] as const,
        ),
      ),
    );
    const own = await desk.chain({
      offer: {
        conversionsFrom: Object.values(types).map((eventTypeId) => ({ eventTypeId, channel: 'feed' })),
        currency: 'EUR',
      },
    });
    return { own, types };
  };
  const described = async (at: string, types: Record<string, string>, networkId: string, more: object) => {
    const template = (await (await get(`${at}/template.json`)).json()) as FeedTemplate;
    return add({
      ...fromTemplate(template, (word) => types[word] ?? ''),
      networkId,
      fromDay: '2026-01-01',
      ...more,
    });
  };
  const of = async (clickId: string): Promise<number> =>
    (await desk.booked()).filter((c) => c.clickId === clickId && c.status === 'pending').length;

  it('with a token that ends in the middle of a day, two amounts, and two accounts', async () => {
    const { own, types } = await partner({ token_search: 'Search', token_click: 'Search click' });
    const words = { search: types.token_search!, search_click: types.token_click! };
    const [a, b] = [await own.send('clk=t1'), await own.send('clk=t2')];
    await get(`/token/s?q=kites&sub2=${a}`);
    await get('/token/click?search=1');
    await get(`/token/s?q=jars&sub2=${b}&account=jonas`);
    // More pages than a token is good for.
    for (let n = 0; n < 50 * (REQUESTS_OF_A_TOKEN + 1); n++) await get('/token/s?q=stars');
    const account = (user: string) =>
      described('/token', words, own.network.id, {
        name: `Token ${user}`,
        user,
        secret: TOKEN_ACCOUNTS[user],
      });
    const [mira, jonas] = [await account('mira'), await account('jonas')];
    expect(await fetched(mira)).toMatchObject({
      state: 'done',
      rows: 50 * (REQUESTS_OF_A_TOKEN + 1) + 1,
      told: 2,
      notes: expect.stringContaining('have no click ID'),
    });
    expect(await fetched(jonas)).toMatchObject({ state: 'done', rows: 1, told: 1 });
    expect([await of(a), await of(b)]).toEqual([2, 1]);
  });

  it('with a report that is ordered, worked on, and fetched as CSV with a decimal comma', async () => {
    const { own, types } = await partner({ report_search: 'Report search' });
    const a = await own.send('clk=r1');
    await get(`/report/s?q=kites&sub2=${a}`);
    const words = { search: types.report_search! };
    const feed = await described('/report', words, own.network.id, {
      user: REPORT_USER,
      secret: REPORT_PASSWORD,
    });
    const run = await fetched(feed);
    expect(run).toMatchObject({ state: 'done', rows: 1, told: 1, isFinal: false });
    expect(Number(run.amountMicros)).toBeGreaterThan(0);
    expect(await of(a)).toBe(1);
    await get('/report/close', { method: 'POST' });
    expect(await fetched(feed)).toMatchObject({ isFinal: true, told: 1 });
    const wrong = await described('/report', words, own.network.id, {
      name: 'Wrong password',
      user: REPORT_USER,
      secret: 'wrong',
    });
    expect(await fetched(wrong)).toMatchObject({
      state: 'failed',
      problem: expect.stringContaining('refuses the key'),
    });
  });
});

it('on Today says which feed fails, waits for a member, is late, or has corrected a final', async () => {
  const said = async (): Promise<string[]> =>
    (await desk.owner.get<Attention[]>('/attention')).body
      .filter((a) => a.sentence.includes('“Watched”'))
      .map((a) => a.code);
  const feed = await add(input({ name: 'Watched', isOn: true, fromDay: '2099-01-01' }));
  expect(await said()).toEqual([]);
  await desk.pool.query(`UPDATE feeds SET changed_at = now() - interval '5 hours' WHERE id = $1`, [feed.id]);
  expect(await said()).toEqual(['feed_late']);
  spend.answer = async () => ({ status: 404 });
  await fetched(feed);
  expect(await said()).toEqual(['feed_failed']);
  spend.answer = null;
  spend.isFinal = true;
  spend.rows = [{ spend: 10 }];
  await fetched(feed);
  expect(await said()).toEqual([]);
  spend.rows = [{ spend: 12 }];
  await fetched(feed);
  expect(await said()).toEqual(['feed_moved']);
  const other = await add(input({ name: 'Copy of “Watched”', isOn: true, fromDay: '2099-01-01' }));
  spend.isFinal = false;
  await fetched(other);
  spend.rows = [];
  await fetched(other);
  expect(await said()).toEqual(['feed_waiting', 'feed_moved']);
});

it('publishes the JSON Schema of templates', async () => {
  const { status, body } = await desk.owner.get<{ properties: object }>('/feeds/template-schema');
  expect(status).toBe(200);
  expect(Object.keys(body.properties)).toEqual(expect.arrayContaining(['kind', 'url', 'signIn', 'counters']));
});
