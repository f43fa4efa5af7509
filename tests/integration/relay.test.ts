/** Postbacks passed on to a second address: as they came, once each, also when it fails at first; never to our own network. */
import { createServer, type Server } from 'node:http';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import type { NetworkSeen } from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

let heard: { method: string; url: string; body: string; type: string; key: string }[] = [];
let answers: number[] = [];
let other: Server;
let desk: SharedDesk;
let origin: string;
beforeAll(async () => {
  other = createServer((req, res) => {
    let body = '';
    req.on('data', (chunk) => (body += chunk));
    req.on('end', () => {
      const { headers } = req;
      heard.push({
        method: req.method!,
        url: req.url!,
        body,
        type: headers['content-type'] ?? '',
        key: String(headers['idempotency-key']),
      });
      const status = answers.shift() ?? 200;
      res.writeHead(status, status === 302 ? { Location: 'http://127.0.0.1:1/inside' } : {}).end('x');
    });
  });
  desk = await makeDesk();
  const { host, port } = desk.partner('127.0.0.5');
  await new Promise<void>((resolve) => other.listen(port, host, resolve));
  origin = `http://${host}:${port}`;
});
afterAll(async () => {
  await desk.close();
  other.close();
});

const chainWith = (network: object): Promise<Chain> => desk.chain({ network });
const relayed = async (c: Chain): Promise<NetworkSeen['relayed']> =>
  (await desk.owner.get<NetworkSeen>(`/parts/network/${c.network.id}/seen`)).body.relayed;
const hurry = (c: Chain) =>
  desk.pool.query('UPDATE relayed SET next_try_at = now() WHERE network_id = $1', [c.network.id]);
const arrived = (c: Chain, n: number) =>
  until(async () => (await relayed(c)).delivered === n, `${n} passed on`);

it('as they came, by GET and by POST, whatever became of them here; judged again, not again', async () => {
  heard = [];
  const c = await chainWith({ relayUrl: `${origin}/old?from=tracheon` });
  await desk.call(c.network.key, 'click_id=OLD%20ID-1&payout=5&status=odd%2Bword');
  await desk.call(c.network.key, '', {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: '{"click_id":"OLD-2","payout":"6"}',
  });
  await arrived(c, 2);
  expect(
    heard
      .map(({ method, url, body, type }) => ({ method, url, body, type }))
      .sort((a, b) => (a.method < b.method ? -1 : 1)),
  ).toEqual([
    {
      method: 'GET',
      url: '/old?from=tracheon&click_id=OLD%20ID-1&payout=5&status=odd%2Bword',
      body: '',
      type: '',
    },
    {
      method: 'POST',
      url: '/old?from=tracheon',
      body: '{"click_id":"OLD-2","payout":"6"}',
      type: 'application/json',
    },
  ]);
  const [row] = await desk.postbacksIn();
  await desk.owner.post('/postbacks-in/reprocess', { ids: [row!.id] });
  expect(await relayed(c)).toMatchObject({ delivered: 2, waiting: 0 });
});

it('again after an error with the same key; what is refused for good, or redirects, is given up', async () => {
  heard = [];
  answers = [503];
  const c = await chainWith({ relayUrl: `${origin}/flaky` });
  await desk.call(c.network.key, 'click_id=A&payout=5');
  await until(async () => (await relayed(c)).lastFailure === 'answered 503', 'the first try');
  await hurry(c);
  await arrived(c, 1);
  expect(new Set(heard.map((h) => h.key)).size).toBe(1);
  answers = [302];
  await desk.call(c.network.key, 'click_id=B&payout=5');
  await until(async () => (await relayed(c)).gaveUp === 1, 'giving up');
  const inside = await chainWith({ relayUrl: 'http://127.0.0.1:1/x' });
  await desk.call(inside.network.key, 'click_id=C&payout=5');
  await until(async () => (await relayed(inside)).gaveUp === 1, 'the refusal');
  expect((await relayed(inside)).lastFailure).toMatch('private address');
});

it('not after the last day, not of a test, and not what is held', async () => {
  const over = await chainWith({ relayUrl: `${origin}/x`, relayUntil: '2026-01-31' });
  const strict = await chainWith({ relayUrl: `${origin}/x`, allowedAddresses: ['203.0.113.9'] });
  const mine = await chainWith({ relayUrl: `${origin}/x` });
  await desk.say(over.network.key, 'click_id=A&payout=5');
  await desk.say(strict.network.key, 'click_id=A&payout=5');
  await desk.say(mine.network.key, 'click_id=A&payout=5&_t=1.x');
  for (const c of [over, strict, mine])
    expect(await relayed(c)).toEqual({ delivered: 0, waiting: 0, gaveUp: 0, lastFailure: '' });
});
