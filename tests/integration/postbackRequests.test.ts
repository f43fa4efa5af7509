/** What a source is sent besides an address, when, and how often; sent again, and shown before. */
import { createServer, type IncomingMessage, type Server } from 'node:http';
import { afterAll, afterEach, beforeAll, expect, it } from '@jest/globals';
import type {
  ImportDraft,
  ManyAnswer,
  PostbackOutRow,
  PostbackPreview,
  ReceiptBatch,
  SourceHealth,
} from '@tracheon/core/contract';
import { pagePixelJob } from '../../server/notify/pagePixels.ts';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

interface Heard {
  method: string;
  url: string;
  headers: IncomingMessage['headers'];
  body: string;
}
let heard: Heard[] = [];
let source: Server;
let desk: SharedDesk;
let origin: string;
beforeAll(async () => {
  source = createServer((req, res) => {
    let body = '';
    req.on('data', (chunk) => (body += chunk));
    req.on('end', () => {
      heard.push({ method: req.method!, url: req.url!, headers: req.headers, body });
      res.end('x');
    });
  });
  desk = await makeDesk();
  const { host, port } = desk.partner('127.0.0.5');
  await new Promise<void>((resolve) => source.listen(port, host, resolve));
  origin = `http://${host}:${port}`;
});
afterAll(async () => {
  await desk.close();
  source.close();
});
afterEach(() => void (heard = []));

const calls = (c: Chain): Promise<PostbackOutRow[]> =>
  desk.list<PostbackOutRow>(`/postbacks-out?campaign=${c.campaign.id}`);
const book = (c: Chain, id: string, query: string) => desk.say(c.network.key, `click_id=${id}&${query}`);
const delivered = (c: Chain, n: number) =>
  until(async () => (await calls(c)).filter((r) => r.state === 'delivered').length === n, `${n} postbacks`);

it('a form and JSON are sent as written, with headers whose secrets nobody can read', async () => {
  const secret = 'Bearer s3cret-of-mine';
  const { id: secretId } = (await desk.owner.post<{ id: string }>('/secrets', { value: secret })).body;
  const postbackHeaders = [
    { name: 'Authorization', value: '', secretId },
    { name: 'X-Desk', value: 'plain', secretId: '' },
  ];
  const form = await desk.chain({
    source: {
      postbackUrl: `${origin}/form?a=1`,
      postbackMethod: 'form',
      postbackBody: 'uid={source_click_id}&sum={payout}&site={sub_site}',
      postbackHeaders,
    },
  });
  await book(form, await form.send('clk=mh%2F7&site=a%20%26b'), 'payout=18.00&transaction=F-1&status=ok');
  await delivered(form, 1);
  expect(heard[0]).toMatchObject({
    method: 'POST',
    url: '/form?a=1',
    body: 'uid=mh%2F7&sum=18.00&site=a%20%26b',
    headers: {
      'content-type': 'application/x-www-form-urlencoded',
      authorization: secret,
      'x-desk': 'plain',
      'idempotency-key': expect.any(String),
    },
  });
  const json = await desk.chain({
    source: {
      postbackUrl: `${origin}/json`,
      postbackMethod: 'json',
      postbackBody: '{"uid":"{source_click_id}","sum":{payout},"cost":{cost}}',
    },
  });
  await book(json, await json.send('clk=q%22uote'), 'payout=18.50&transaction=J-1&status=ok');
  await delivered(json, 1);
  expect(JSON.parse(heard.at(-1)!.body)).toMatchObject({ uid: 'q"uote', sum: 18.5 });
  // Neither the API nor the tables give it back.
  const everything = JSON.stringify([
    (await desk.owner.get(`/parts/source/${form.source.id}`)).body,
    (await desk.owner.get(`/parts/source/${form.source.id}/versions`)).body,
    (await desk.owner.post('/parts/export', { ids: [form.source.id] })).body,
    (await desk.pool.query('SELECT * FROM outbox')).rows,
    (
      await desk.pool.query(
        `SELECT position('s3cret'::bytea IN sealed) > 0 AS "s3cret is there" FROM secrets`,
      )
    ).rows.filter((r) => Object.values(r as object).includes(true)),
  ]);
  expect(everything).not.toContain('s3cret');
  expect(everything).toContain('X-Desk');
});

it('a secret of another desk, or of another key, is not used: the postback is given up with the reason', async () => {
  const other = await makeDesk();
  const { id: secretId } = (await other.owner.post<{ id: string }>('/secrets', { value: 'theirs' })).body;
  await other.close();
  const c = await desk.chain({
    source: {
      postbackUrl: `${origin}/x`,
      postbackHeaders: [{ name: 'Authorization', value: '', secretId }],
    },
  });
  await book(c, await c.send(), 'payout=5&status=ok');
  await until(async () => (await calls(c))[0]?.state === 'gave_up', 'giving up');
  expect((await calls(c))[0]!.attempts[0]!.result).toMatch('Authorization can’t be read'.replace('’', "'"));
  expect(heard).toEqual([]);
});

it('the same amount is told always; a delayed one that is taken back meanwhile is never told', async () => {
  const fixed = await desk.chain({
    source: {
      postbackUrl: `${origin}/f?p={payout}&c={payout_currency}`,
      reportPayout: 'fixed',
      reportFixed: '2500000',
    },
  });
  await book(fixed, await fixed.send(), 'payout=18.00&status=ok');
  await delivered(fixed, 1);
  expect(heard[0]!.url).toBe('/f?p=2.50&c=EUR');
  const late = await desk.chain({ source: { postbackUrl: `${origin}/late`, reportDelayMinutes: 60 } });
  const id = await late.send();
  await book(late, id, 'payout=5&transaction=L&status=ok');
  const [waiting] = await calls(late);
  const dueIn = new Date(waiting!.nextTryAt!).getTime() - Date.now();
  expect([waiting!.state, dueIn > 55 * 60_000, dueIn <= 60 * 60_000]).toEqual(['waiting', true, true]);
  await book(late, id, `payout=5&transaction=L&status=back`);
  expect(await calls(late)).toEqual([]);
});

it('a changed payout is told again where the source wants it, with a number of its own', async () => {
  const c = await desk.chain({
    source: { postbackUrl: `${origin}/again?p={payout}&s={status}`, reportAgain: 'payout' },
  });
  const id = await c.send();
  for (const payout of ['5', '5', '7']) await book(c, id, `payout=${payout}&transaction=A&status=ok`);
  await delivered(c, 2);
  expect(heard.map((h) => h.url).sort()).toEqual(['/again?p=5.00&s=approved', '/again?p=7.00&s=approved']);
  expect((await calls(c)).map((r) => r.nth).sort()).toEqual([1, 2]);
});

it('delivered ones are sent again with the same value, but an older status not behind a newer one', async () => {
  const c = await desk.chain({
    source: { postbackUrl: `${origin}/re?s={status}`, reportStatuses: ['pending', 'approved'] },
  });
  const id = await c.send();
  await book(c, id, 'payout=5&transaction=R&status=wait');
  await delivered(c, 1);
  await book(c, id, 'payout=5&transaction=R&status=ok');
  await delivered(c, 2);
  const rows = await calls(c);
  const keys = heard.map((h) => h.headers['idempotency-key']);
  const answer = await desk.owner.post<ManyAnswer>('/postbacks-out/resend', { ids: rows.map((r) => r.id) });
  expect(answer.body).toMatchObject({
    changed: 1,
    unchanged: [{ why: 'A later status of this conversion was delivered already.' }],
  });
  await until(() => Promise.resolve(heard.length === 3), 'the third call');
  expect(heard[2]).toMatchObject({ url: '/re?s=approved' });
  expect(keys).toContain(heard[2]!.headers['idempotency-key']);
});

it('shows the exact request before it is saved, and why it would not go out; and how each source answers', async () => {
  const c = await desk.chain({ source: { postbackUrl: `${origin}/p?u={source_click_id}` } });
  const read = async () =>
    (await desk.owner.get<{ body: Record<string, unknown> }>(`/parts/source/${c.source.id}`)).body.body;
  const preview = async (more: object): Promise<PostbackPreview> =>
    (
      await desk.owner.post<PostbackPreview>(`/parts/source/${c.source.id}/preview-postback`, {
        body: { ...(await read()), ...more },
      })
    ).body;
  expect(await preview({})).toMatchObject({ conversion: null, url: `${origin}/p?u=source_click_id` });
  await book(c, await c.send('clk=PV1'), 'payout=9&transaction=P&status=ok');
  await delivered(c, 1);
  const proposed = {
    postbackMethod: 'json',
    postbackBody: '{"u":"{source_click_id}","p":{payout}}',
    postbackHeaders: [{ name: 'X-A', value: 'b', secretId: '' }],
  };
  expect(await preview(proposed)).toMatchObject({
    method: 'POST',
    url: `${origin}/p?u=PV1`,
    body: '{"u":"PV1","p":9.00}',
    headers: [
      { name: 'Content-Type', value: 'application/json' },
      { name: 'X-A', value: 'b' },
    ],
    conversion: { status: 'approved' },
    whyNot: '',
  });
  expect((await preview({ reportStatuses: ['pending'] })).whyNot).toMatch('don’t report the status approved');
  expect(heard.length).toBe(1);
  const health = (await desk.owner.get<SourceHealth[]>('/postbacks-out/health')).body;
  expect(health.find((h) => h.sourceId === c.source.id)).toMatchObject({
    delivered: 1,
    waiting: 0,
    gaveUp: 0,
    medianMs: expect.any(Number),
    lastFailure: null,
  });
});

it('what an import sent to sources is listed with it, also once it is undone', async () => {
  const c = await desk.chain({ source: { postbackUrl: `${origin}/sent?u={source_click_id}` } });
  const id = await c.send('clk=imported');
  await book(c, await c.send('clk=other'), 'payout=5&transaction=other&status=ok');
  const draft = (
    await desk.owner.upload<ImportDraft>(
      `/imports?name=sent.csv&network=${c.network.id}`,
      Buffer.from(`click_id,payout,transaction,status\n${id},5.00,SENT-1,ok`),
    )
  ).body;
  await desk.owner.post(`/imports/${draft.id}/run`, draft.settings);
  await delivered(c, 2);
  const ofBatch = () => desk.list<PostbackOutRow>(`/postbacks-out?batch=${draft.id}`);
  const urls = async () => (await ofBatch()).map((r) => r.url);
  expect(await urls()).toEqual([`${origin}/sent?u=imported`]);
  const run = async () => (await desk.owner.get<ReceiptBatch>(`/receipt-batches/${draft.id}`)).body;
  expect((await run()).sentOn).toBe(1);
  await desk.owner.post(`/receipt-batches/${draft.id}/undo`);
  await until(async () => (await run()).state === 'undone', 'the import to be undone');
  expect(await urls()).toEqual([`${origin}/sent?u=imported`]);
});

it('an image waits for the thank-you page, where our iframe carries it once; without a page it is given up', async () => {
  const c = await desk.chain({
    source: { postbackUrl: `${origin}/px?u={source_click_id}&p={payout}`, postbackMethod: 'pixel' },
  });
  const iframe = async (id: string, transaction: string) => {
    const query = `click_id=${id}&payout=7&transaction=${transaction}&status=ok`;
    const res = await fetch(`${desk.tracking}/in/${c.network.key}.html?${query}`);
    return { text: await res.text(), policy: res.headers.get('content-security-policy') };
  };
  const id = await c.send('clk=a%22%3Cb');
  let page = await iframe(id, 'PX-1');
  // A busy machine may not judge it in time, more than once: the next page that is opened has it.
  await until(async () => {
    if (!page.text.includes('<img')) page = await iframe(id, 'PX-1');
    return page.text.includes('<img');
  }, 'a page with the image');
  expect(page.text).toBe(
    `<!doctype html><title>.</title><img src="${origin}/px?u=a%22%3Cb&#38;p=7.00" width="1" height="1" alt="">`,
  );
  expect(page.policy).toBe("default-src 'none'; img-src http: https:");
  expect((await calls(c)).map((r) => r.state)).toEqual(['delivered']);
  expect((await iframe(id, 'PX-1')).text).not.toContain('<img');
  // By a postback there is no page.
  await book(c, await c.send('clk=late'), 'payout=7&transaction=PX-2&status=ok');
  expect((await calls(c)).map((r) => r.state).sort()).toEqual(['delivered', 'on_page']);
  expect(heard).toEqual([]);
  await desk.pool.query(
    `UPDATE outbox SET trying_since = now() - interval '25 hours' WHERE campaign_id = $1`,
    [c.campaign.id],
  );
  await pagePixelJob(desk.pool, Date.now).run();
  expect((await calls(c)).map((r) => [r.state, r.attempts[0]?.result]).sort()).toEqual([
    ['delivered', 'delivered'],
    ['gave_up', 'not placed: no thank-you page with your iframe pixel was opened'],
  ]);
});

it('a file of conversions is fetched at a secret address, and no longer at the old one', async () => {
  const c = await desk.chain({
    source: {
      reportStatuses: ['approved'],
      fileKey: 'first',
      fileColumns: [
        { field: 'source_click_id', name: 'Click ID' },
        { field: 'payout', name: 'Value' },
        { field: 'currency', name: 'Currency' },
        { field: 'conversion_time', name: 'Time' },
      ],
    },
  });
  await book(
    c,
    await c.send('clk=a%22b%2Cc'),
    'payout=18.00&transaction=FILE-1&status=ok&conversion_time=2026-11-20T10:00:00Z',
  );
  await book(c, await c.send('clk=pending'), 'payout=5&transaction=FILE-2&status=wait');
  await book(c, await c.send(''), 'payout=6&transaction=FILE-3&status=ok');
  const address = async () =>
    (await desk.owner.get<{ url: string }>(`/parts/source/${c.source.id}/conversion-file`)).body.url;
  const url = await address();
  const at = (wanted: string, method = 'GET') =>
    fetch(wanted.replace(/^https?:\/\/[^/]+/, desk.tracking), { method });
  const res = await at(url);
  expect([res.status, res.headers.get('content-type'), res.headers.get('cache-control')]).toEqual([
    200,
    'text/csv; charset=utf-8',
    'no-store',
  ]);
  expect(await res.text()).toMatch(
    /^Click ID,Value,Currency,Time\r\n"a""b,c",18\.00,EUR,2026-11-20T1[01]:00:00(Z|\+01:00)\r\n$/,
  );
  const { body, version } = (
    await desk.owner.get<{ body: object; version: number }>(`/parts/source/${c.source.id}`)
  ).body;
  const changed = await desk.owner.put(`/parts/source/${c.source.id}`, {
    version,
    body: { ...body, fileKey: 'second' },
  });
  expect(changed.status).toBe(200);
  expect((await at(url)).status).toBe(404);
  expect((await at(await address(), 'HEAD')).status).toBe(200);
  expect((await at(await address(), 'POST')).status).toBe(405);
  for (const wrong of [
    '/files/x',
    `/files/${c.source.id}-${'a'.repeat(32)}.csv`,
    `/files/${'x'.repeat(9000)}`,
  ])
    expect((await fetch(desk.tracking + wrong)).status).toBe(404);
});

it.each([
  [{ postbackMethod: 'json', postbackBody: '{"a":' }, 'not JSON'],
  [{ postbackMethod: 'form', postbackBody: '' }, 'Enter the body'],
  [{ postbackHeaders: [{ name: 'Host', value: 'x' }] }, 'sets this header itself'],
  [{ postbackHeaders: [{ name: 'A b', value: 'x' }] }, 'letters, digits'],
  [{ postbackHeaders: [{ name: 'X-A', value: 'a\nb' }] }, 'plain ASCII'],
  [{ postbackHeaders: [{ name: 'X-A', value: '' }] }, 'Enter a value'],
  [{ reportDelayMinutes: 50_000 }, '30 days'],
])('refuses %j', async (more, says) => {
  const { status, body } = await desk.owner.post('/parts/source', { name: `Bad ${says}`, ...more });
  expect([status, JSON.stringify(body)]).toEqual([422, expect.stringMatching(says)]);
});
