/** What strangers may try against the listeners and through them. docs/threats.md has a row for each. */
import { createServer, type Server } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import { gzipSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { makeCaller, Refused } from '../../server/notify/outgoing.ts';
import {
  MAX_ANSWER_BYTES,
  MAX_CALL_BODY_BYTES,
  UNKNOWN_KEYS_PER_MINUTE,
} from '../../server/limits/limits.ts';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain();
});
afterAll(() => desk.close());

/** Sends the text, keeps the connection, and tells all that comes back until the other side closes. */
const raw = (origin: string, text: string): Promise<string> =>
  new Promise((resolve, reject) => {
    const { hostname, port } = new URL(origin);
    let said = '';
    const socket = connect(Number(port), hostname, () => socket.write(text));
    socket.on('data', (c) => (said += String(c)));
    socket.on('error', reject);
    socket.on('close', () => resolve(said));
  });

it('slow senders are cut off, on both listeners, in the headers and in the body; others are answered meanwhile', async () => {
  const slow = Promise.all([
    raw(desk.tracking, `GET /v/${chain.campaign.key}?clk=slow HTTP/1.1\r\nHost: x\r\nX-Slow: `),
    raw(desk.owner.origin, 'POST /api/sign-in HTTP/1.1\r\nHost: x\r\nX-Slow: '),
    raw(
      desk.tracking,
      `POST /in/${chain.network.key} HTTP/1.1\r\nHost: x\r\nContent-Length: 1000\r\n\r\nclick_id=`,
    ),
    // Browsers open connections ahead of need. An answer to nothing would pass for that of their next request.
    raw(desk.tracking, ''),
    raw(desk.owner.origin, ''),
  ]);
  await chain.send('clk=quick');
  const [visit, signIn, call, ...unused] = await slow;
  expect(visit).toMatch(/^HTTP\/1\.1 408 [^]*request_timeout/);
  expect(signIn).toMatch(/^HTTP\/1\.1 408 [^]*request_timeout/);
  expect(unused).toEqual(['', '']);
  // A call that was not read whole is never acknowledged.
  expect(call).not.toMatch(/^HTTP\/1\.1 200/);
  expect((await desk.visits()).some((v) => v.sourceClickId === 'slow')).toBe(false);
  expect(await desk.postbacksIn()).toEqual([]);
});

describe('what unfolds', () => {
  it('a small body that unpacks to a large one is refused by the API', async () => {
    const bomb = gzipSync(JSON.stringify({ email: 'x'.repeat(20_000_000), password: 'x' }));
    expect(bomb.length).toBeLessThan(200_000);
    const res = await fetch(`${desk.owner.origin}/api/sign-in`, {
      method: 'POST',
      headers: { Origin: desk.owner.origin, 'Content-Type': 'application/json', 'Content-Encoding': 'gzip' },
      body: bomb,
    });
    expect([res.status, ((await res.json()) as { code: string }).code]).toEqual([413, 'body_too_large']);
  });

  it('JSON that nests without end is refused before anything walks it', async () => {
    const deep = `{"email":${'['.repeat(30_000)}${']'.repeat(30_000)}}`;
    const res = await fetch(`${desk.owner.origin}/api/sign-in`, {
      method: 'POST',
      headers: { Origin: desk.owner.origin, 'Content-Type': 'application/json' },
      body: deep,
    });
    expect([res.status, ((await res.json()) as { code: string }).code]).toEqual([400, 'nested_too_deeply']);
    expect(res.headers.get('cache-control')).toBe('no-store');
    // As many brackets in a text are no depth.
    const flat = await desk.owner.ask<{ code: string }>('POST', '/sign-in', JSON.stringify({ email: deep }));
    expect(flat.body.code).not.toBe('nested_too_deeply');
  });

  it('a packed postback is never unpacked: it is kept as it came, or refused by its size', async () => {
    const packed = gzipSync(`click_id=x&payout=${'1'.repeat(1_000_000)}`);
    const post = (body: Buffer): RequestInit => ({
      method: 'POST',
      headers: { 'Content-Encoding': 'gzip' },
      body: new Uint8Array(body),
    });
    const said = await desk.say(chain.network.key, '', post(packed));
    expect([said.status, said.outcome]).toEqual([200, 'repair']);
    expect((await desk.postbacksIn())[0]!.body.length).toBeLessThan(packed.length + 1);
    const tooLarge = post(Buffer.alloc(MAX_CALL_BODY_BYTES + 1, 'a'));
    expect((await desk.call(chain.network.key, '', tooLarge)).status).toBe(413);
  });

  it('an answer without end to a postback out is left after its limit', async () => {
    let sent = 0;
    const server = createServer((_req, res) => {
      res.writeHead(200);
      const more = (): void => {
        while (!res.destroyed && res.write(Buffer.alloc(16_384, 'a'))) sent += 16_384;
        if (!res.destroyed) res.once('drain', more);
      };
      more();
    });
    const port = await listening(server);
    const call = makeCaller(new Set([`127.0.0.1:${port}`]), []);
    await call(`http://127.0.0.1:${port}/`, {}).catch(() => undefined);
    // What the sockets' own buffers hold comes on top.
    expect(sent).toBeLessThan(MAX_ANSWER_BYTES + 8_000_000);
    server.closeAllConnections();
    server.close();
  });
});

const listening = (server: Server): Promise<number> =>
  new Promise((resolve) =>
    server.listen(0, '127.0.0.1', () => resolve((server.address() as AddressInfo).port)),
  );

describe('outgoing requests', () => {
  type Lookup = Parameters<typeof makeCaller>[2];
  const names = (...answers: string[][]): { resolve: Lookup; asked: () => number } => {
    let n = 0;
    return {
      asked: () => n,
      resolve: ((_host: string, _options: object, callback: (e: null, a: object[]) => void) =>
        callback(
          null,
          answers[Math.min(n++, answers.length - 1)]!.map((address) => ({ address, family: 4 })),
        )) as unknown as Lookup,
    };
  };
  it('a name is looked up once, by the connection itself, and refused there: what it resolves to a moment later is nobody’s question', async () => {
    const rebinding = names(['127.0.0.1']);
    const call = makeCaller(new Set(), [], rebinding.resolve);
    await expect(call('http://rebinding.example/', {})).rejects.toThrow(/private address/);
    expect(rebinding.asked()).toBe(1);
  });
  it('a name with one private address among public ones is refused', async () => {
    const call = makeCaller(new Set(), [], names(['198.18.0.1', '203.0.113.7', '10.0.0.1']).resolve);
    await expect(call('http://mixed.example/', {})).rejects.toThrow(/private address/);
  });
  it.each([
    'http://127.1/',
    'http://0177.0.0.1/',
    'http://0x7f.0.0.1/',
    'http://2130706433/',
    'http://0/',
    'http://0.0.0.0/',
    'http://[::]/',
    'http://[::1]/',
    'http://[::ffff:7f00:1]/',
    'http://[::127.0.0.1]/',
    'http://[::ffff:0:127.0.0.1]/',
    'http://[2002:7f00:1::]/',
    'http://[64:ff9b::7f00:1]/',
    'http://[fd00::1]/',
    'http://[fe80::1]/',
    'http://10.1.2.3/',
    'http://192.168.0.1/',
    'http://172.16.0.1/',
    'http://100.64.0.1/',
    'http://169.254.169.254/',
    'http://224.0.0.1/',
    'http://255.255.255.255/',
    'http://①②⑦.0.0.1/',
    'http://127。0。0。1/',
  ])('%s is refused', async (url) => {
    await expect(makeCaller(new Set(), [])(url, {})).rejects.toBeInstanceOf(Refused);
  });
  it('an allowed pair opens that port alone', async () => {
    const server = createServer((_req, res) => res.end('x'));
    const port = await listening(server);
    const call = makeCaller(new Set([`127.0.0.1:${port}`]), []);
    expect((await call(`http://127.0.0.1:${port}/`, {})).status).toBe(200);
    await expect(call(`http://127.0.0.1:${port + 1}/`, {})).rejects.toThrow(/private address/);
    server.close();
  });
});

describe('through the wire', () => {
  it('line ends in a sub-ID split no header', async () => {
    const evil = encodeURIComponent('x\r\nSet-Cookie: stolen=1\r\n\r\n<script>');
    const res = await desk.visit(`/v/${chain.campaign.key}?clk=${evil}&site=${evil}`);
    expect(res.status).toBe(302);
    expect(res.headers.get('set-cookie')).not.toContain('stolen');
    expect(res.headers.get('location')).not.toMatch(/[\r\n<]/);
  });
  it('names of prototypes as parameters and in JSON are names', async () => {
    const names = ['__proto__', 'constructor', 'prototype', 'toString', 'hasOwnProperty'];
    expect(
      (await desk.visit(`/v/${chain.campaign.key}?${names.map((n) => `${n}=1`).join('&')}`)).status,
    ).toBe(302);
    const said = await desk.say(chain.network.key, '', {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: '{"__proto__": {"click_id": "01J00000000000000000000000"}, "constructor": "x", "payout": "1"}',
    });
    expect([said.status, said.outcome, said.reason]).toEqual([
      200,
      'repair',
      expect.stringContaining('click ID'),
    ]);
    expect(({} as Record<string, unknown>).click_id).toBeUndefined();
    const saved = await desk.owner.ask<{ code: string }>(
      'POST',
      '/parts/event-type',
      '{"__proto__": {"name": "x"}, "word": "x"}',
    );
    expect([saved.status, saved.body.code]).toEqual([422, 'invalid_input']);
  });
  it('headers beyond the limit are refused in words; thousands of parameters cost nothing', async () => {
    const res = await raw(
      desk.tracking,
      `GET /v/${chain.campaign.key} HTTP/1.1\r\nHost: x\r\nX: ${'a'.repeat(20_000)}\r\n\r\n`,
    );
    expect(res).toMatch(/^HTTP\/1\.1 431 .*headers_too_large/s);
    const many = Array.from({ length: 3000 }, (_, n) => `p${n}=`)
      .join('&')
      .slice(0, 12_000);
    expect((await desk.visit(`/v/${chain.campaign.key}?${many}`)).status).toBe(302);
    expect((await desk.visits())[0]!.notes).toContain('too_many_parameters');
  });
  it('two lengths, or a length beside chunks, is no request', async () => {
    for (const lengths of [
      'Content-Length: 5\r\nContent-Length: 6',
      'Content-Length: 5\r\nTransfer-Encoding: chunked',
    ])
      expect(
        await raw(
          desk.tracking,
          `POST /in/${chain.network.key} HTTP/1.1\r\nHost: x\r\n${lengths}\r\n\r\nhello`,
        ),
      ).toMatch(/^HTTP\/1\.1 400/);
  });
});

it('who searches for keys is held off by address; an honest visitor from elsewhere is not', async () => {
  const from = { 'X-Forwarded-For': '198.51.100.9' };
  const statuses: number[] = [];
  for (let n = 0; n <= UNKNOWN_KEYS_PER_MINUTE; n++)
    statuses.push((await desk.visit(`/${n % 2 ? 'v' : 'in'}/guess${n}`, from)).status);
  expect(statuses.slice(0, -1).every((s) => s === 404)).toBe(true);
  expect(statuses.at(-1)).toBe(429);
  // A link that is right is answered all the same, also to that address.
  expect((await desk.visit(`/v/${chain.campaign.key}?clk=right`, from)).status).toBe(302);
  expect((await desk.visit('/v/another')).status).toBe(404);
});
