/**
 * What Tracheon is measured against, a process of its own: a constant 302 from bare Express or bare node:http; or a
 * receiver that stores each call by the same group commit and answers, judging nothing.
 *
 *   plainServers.ts express|http|receiver
 */
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import express from 'express';
import { ulid } from 'ulid';
import { openPool } from '../server/db/pools.ts';
import { commitReceipts } from '../server/events/commitRows.ts';
import { EventWriter } from '../server/events/eventWriter.ts';
import { fromPartner, type ReceiptRecord } from '../server/events/rows.ts';

const LOCATION = 'https://go.larkspur.example/o/4471?aff_ref=01J00000000000000000000000';

function bareExpress(): Server {
  const app = express();
  app.get('/v/:key', (_req, res) => void res.status(302).set('Location', LOCATION).end());
  return createServer(app);
}
const bareHttp = (): Server =>
  createServer((_req, res) => {
    res.writeHead(302, { Location: LOCATION, 'Content-Length': 0 });
    res.end();
  });

function receiver(): Server {
  const writer = new EventWriter<ReceiptRecord>(
    commitReceipts(openPool(process.env.DATABASE_URL!, 'receiver', 6)),
  );
  return createServer((req, res) => {
    const now = Date.now();
    const [path = '', query = ''] = (req.url ?? '').split('?');
    const row: ReceiptRecord = {
      deskId: process.env.BENCH_DESK!,
      id: ulid(now),
      receivedMs: now,
      networkId: process.env.BENCH_NETWORK!,
      method: 'GET',
      path,
      query,
      body: '',
      contentType: '',
      headers: { 'user-agent': String(req.headers['user-agent'] ?? '') },
      ...fromPartner,
      addressPrefix: '127.0.0.0/24',
    };
    writer.submit(row).then(
      () => res.writeHead(200, { 'Content-Length': 2 }).end('OK'),
      () => res.writeHead(503, { 'Content-Length': 0 }).end(),
    );
  });
}

const kinds = { express: bareExpress, http: bareHttp, receiver };
const server = kinds[process.argv[2] as keyof typeof kinds]();
server.listen(0, '127.0.0.1', () =>
  process.stdout.write(`listening ${(server.address() as AddressInfo).port}\n`),
);
