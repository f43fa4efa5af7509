import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { buildFeed } from './buildFeed.ts';
import { FEED_KEY, type FeedReport } from './keyFeed.ts';
import { REPORT_PASSWORD, REPORT_USER } from './reportFeed.ts';
import { REQUESTS_OF_A_TOKEN, TOKEN_ACCOUNTS } from './tokenFeed.ts';

let nowMs = Date.parse('2026-11-20T10:00:00Z');
let server: Server;
let origin: string;
beforeAll(async () => {
  const { app } = buildFeed({ stateFile: () => null, now: () => nowMs });
  await new Promise<void>((done) => (server = app.listen(0, '127.0.0.1', () => done())));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => void server.close());

const report = async (path = '/api/report?day=2026-11-20'): Promise<FeedReport> =>
  (await (await fetch(origin + path, { headers: { 'X-Api-Key': FEED_KEY } })).json()) as FeedReport;

it('tells what came of each search by its sub-IDs: less while the day lasts, and for good once it is over', async () => {
  for (let n = 0; n < 101; n++) await fetch(`${origin}/s?q=kites&sub2=click-${n}&site=moss`);
  const estimate = await report();
  expect(estimate).toMatchObject({ status: 'estimated', total: { rows: 101 } });
  expect(estimate.rows).toHaveLength(100);
  expect(estimate.rows[0]).toMatchObject({ sub2: 'click-0', site: 'moss', keyword: 'kites' });
  expect((await report(estimate.next!)).rows.map((r) => r.sub2)).toEqual(['click-100']);
  nowMs += 86_400_000;
  const final = await report();
  expect(final.status).toBe('final');
  expect(Number(final.total.revenue)).toBeGreaterThan(Number(estimate.total.revenue));
  const sum = [...final.rows, ...(await report(final.next!)).rows].reduce((s, r) => s + Number(r.revenue), 0);
  expect(sum.toFixed(6)).toBe(final.total.revenue);
});

it('is closed by hand, and tells nothing without its key', async () => {
  await fetch(`${origin}/s?q=jars&sub2=late`);
  await fetch(`${origin}/close`, { method: 'POST' });
  expect((await report('/api/report?day=2026-11-21')).status).toBe('final');
  expect((await fetch(`${origin}/api/report?day=2026-11-21`)).status).toBe(403);
});

const basic = (user: string, secret: string): { headers: Record<string, string> } => ({
  headers: { Authorization: `Basic ${Buffer.from(`${user}:${secret}`).toString('base64')}` },
});
const json = async <T>(path: string, options: RequestInit = {}): Promise<T> =>
  (await (await fetch(origin + path, options)).json()) as T;

it('with a token has two amounts in a row, accounts apart, and wants a new token after some requests', async () => {
  for (const account of ['', '&account=jonas']) await fetch(`${origin}/token/s?q=jars&sub2=c${account}`);
  await fetch(`${origin}/token/click?search=1`);
  const { access } = await json<{ access: { token: string } }>(
    '/token/token',
    basic('mira', TOKEN_ACCOUNTS.mira!),
  );
  const asked = (): Promise<Response> =>
    fetch(`${origin}/token/v2/revenue?date=${new Date(nowMs).toISOString().slice(0, 10)}`, {
      headers: { Authorization: `Bearer ${access.token}` },
    });
  const { data } = (await (await asked()).json()) as { data: { count: number; list: { money: object }[] } };
  expect(data.count).toBe(1);
  expect(data.list[0]!.money).toEqual({
    search: expect.stringMatching(/^0\.\d+$/),
    click: expect.not.stringMatching(/^0\.0+$/),
  });
  for (let n = 1; n < REQUESTS_OF_A_TOKEN; n++) expect((await asked()).status).toBe(200);
  expect((await asked()).status).toBe(401);
  expect((await fetch(`${origin}/token/token`, basic('mira', 'wrong'))).status).toBe(401);
});

it('with reports works on an order for a while, and then has it as CSV', async () => {
  await fetch(`${origin}/report/s?q=jars&sub2=c`);
  const own = basic(REPORT_USER, REPORT_PASSWORD);
  const day = new Date(nowMs).toISOString().slice(0, 10);
  const { order } = await json<{ order: { id: string } }>(`/report/orders?day=${day}`, {
    ...own,
    method: 'POST',
  });
  const states: string[] = [];
  for (let n = 0; n < 3; n++)
    states.push((await json<{ order: { state: string } }>(`/report/orders/${order.id}`, own)).order.state);
  expect(states).toEqual(['working', 'working', 'done']);
  expect(await (await fetch(`${origin}/report/orders/${order.id}/file.csv`, own)).text()).toMatch(
    /^Sub 2,Keyword,Net,State\r\n"c","jars","0,\d{6}","open"$/,
  );
  expect((await fetch(`${origin}/report/orders/${order.id}`)).status).toBe(401);
});

it('hands out templates that a tracker can read', async () => {
  for (const base of ['', '/token', '/report'])
    expect(await json(`${base}/template.json`)).toMatchObject({
      version: 1,
      url: expect.stringContaining('{day}'),
    });
});
