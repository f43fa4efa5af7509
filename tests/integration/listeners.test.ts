/** The tracking listener under texts that are far too long, and both listeners at their orderly end. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { mkdtempSync, rmSync } from 'node:fs';
import { connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pino } from 'pino';
import type { DomainRow } from '@tracheon/core/contract';
import { startServer, type RunningServer } from '../../server/app/startServer.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { until, type Chain } from './testDesk.ts';

let desk: OwnDesk;
let chain: Chain;
let isClosed = false;
beforeAll(async () => {
  desk = await openOwnServer();
  chain = await desk.chain();
});
afterAll(() => (isClosed ? undefined : desk.close()));

function open(): Promise<{ write: (text: string) => void; answer: Promise<string> }> {
  const { hostname, port } = new URL(desk.tracking);
  return new Promise((resolve, reject) => {
    let text = '';
    const socket = connect(Number(port), hostname);
    const answer = new Promise<string>((done) => socket.on('close', () => done(text)));
    socket.on('data', (chunk) => (text += chunk.toString('latin1')));
    socket.on('error', reject);
    socket.on('connect', () => resolve({ write: (t) => socket.write(t), answer }));
  });
}
async function raw(request: string): Promise<string> {
  const { write, answer } = await open();
  write(request);
  return answer;
}

const LENGTH = 15_000;
const MOST_MS = 100;
const TRIES = 5;
const HEADERS = [
  'User-Agent',
  'Referer',
  'Accept-Language',
  'Cookie',
  'X-Forwarded-For',
  'Sec-Purpose',
  'Purpose',
  'Content-Type',
  'X-Request-Id',
  'Date',
];

it('answers 15 000 bytes at every header and parameter, and they cost it next to nothing', async () => {
  const { key } = chain.campaign;
  const page = await desk.make('landing-page', { name: 'Long story', url: 'https://story.example/' });
  const paths = [`/v/${key}`, `/b/${page.key}/1`, `/seen/${key}`, `/in/${chain.network.key}`];
  const parameters = [
    'clk',
    'site',
    'title',
    'bid',
    'click_id',
    '_c',
    '_t',
    'payout',
    'status',
    'transaction',
    'changed_time',
  ];
  const long = ['a', '%20', 'a,', 'a;q=1,', '127.0.0.1,', '/', '%C3', '=', '~', '.'].map((unit) =>
    unit.repeat(Math.floor(LENGTH / unit.length)),
  );
  const requests = paths.flatMap((path) => [
    ...HEADERS.flatMap((name) =>
      long.map((text) => `GET ${path} HTTP/1.1\r\nHost: x\r\n${name}: ${text}\r\n`),
    ),
    ...parameters.map((name) => `GET ${path}?${name}=${long[0]} HTTP/1.1\r\nHost: x\r\n`),
    `GET ${path}?${long[7]} HTTP/1.1\r\nHost: x\r\n`,
    `GET ${path}/${long[1]} HTTP/1.1\r\nHost: x\r\n`,
    `GET ${path} HTTP/1.1\r\nHost: ${long[9]}\r\n`,
    `GET ${path}?t=${'a '.repeat(LENGTH / 4)} HTTP/1.1\r\nHost: x\r\n`,
  ]);
  /** CPU of this whole process for one request, the test's own included. */
  const costOf = async (request: string): Promise<number> => {
    const began = process.cpuUsage();
    const answer = await raw(`${request}Connection: close\r\n\r\n`);
    const { user, system } = process.cpuUsage(began);
    expect([request.slice(0, 80), answer.slice(0, 12)]).toEqual([
      request.slice(0, 80),
      expect.stringMatching(/^HTTP\/1\.1 (?:200|302|404|405|503)/),
    ]);
    return (user + system) / 1000;
  };
  // What backtracks costs hundreds of milliseconds each time; what only met a collection of garbage does not.
  const costly: string[] = [];
  for (const request of requests) {
    let least = Infinity;
    for (let n = 0; n < TRIES && least > MOST_MS; n++) least = Math.min(least, await costOf(request));
    if (least > MOST_MS) costly.push(request.slice(0, 80));
  }
  expect(costly).toEqual([]);
});

it('a server does not start whose partner page is at the host of a tracking domain', async () => {
  const { host } = desk.config.partners;
  const { body } = await desk.owner.post<DomainRow>('/domains', { origin: 'https://soon.example' });
  // As if it had been added before there was a partner page.
  await desk.pool.query('UPDATE tracking_domains SET origin = $2, host = $3 WHERE id = $1', [
    body.id,
    `http://${host}:8080`,
    `${host}:8080`,
  ]);
  const dataFolder = mkdtempSync(join(tmpdir(), 'tracheon-again-'));
  const again = (): Promise<RunningServer> =>
    startServer({ ...desk.config, dataFolder }, pino({ level: 'silent' }), 'web/dist');
  await expect(again()).rejects.toThrow(/tracking domain .* and the partner page are both at/);
  await desk.owner.remove(`/domains/${body.id}`);
  await (await again()).close();
  rmSync(dataFolder, { recursive: true, force: true });
});

it('answers what is in flight when it is told to end', async () => {
  const body = `click_id=${await chain.send('clk=last')}&payout=3`;
  const { write, answer } = await open();
  write(
    `POST /in/${chain.network.key} HTTP/1.1\r\nHost: x\r\nContent-Type: application/x-www-form-urlencoded\r\n` +
      `Content-Length: ${body.length}\r\n\r\n${body.slice(0, 10)}`,
  );
  // Half of it has arrived: the handler waits for the rest.
  await until(async () => (await desk.visit('/healthz')).status === 200, 'the listener to have read it');
  const closing = desk.running.close();
  isClosed = true;
  await until(
    () =>
      desk.visit('/healthz').then(
        () => false,
        () => true,
      ),
    'the listener to take no more',
  );
  write(body.slice(10));
  expect(await answer).toMatch(/^HTTP\/1\.1 200 [\s\S]*"outcome":"(?:accepted|queued)"/);
  await closing;
  const { rows } = await desk.pool.query('SELECT body FROM receipts WHERE desk_id = $1', [desk.deskId]);
  expect(rows.map((r) => r.body as string)).toContain(body);
  await desk.close();
});
