/**
 * How long a day of a feed takes: pages fetched over a socket, put aside, compared with what is known, and each row that
 * changes something judged as a conversion; then the same day once more, of which nothing changes.
 *   npm run bench:feeds -- --json --rows=200000
 * What would make it lie: rows of unknown clicks, which book nothing (all are booked, asserted); durability off (asserted on);
 * a provider that makes its answers while the clock runs (they are made before).
 */
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { setTimeout as pause } from 'node:timers/promises';
import type { FeedRecord, FeedRun } from '@tracheon/core/contract';
import { copiedVisits, ownersApi } from './files.ts';
import { assertDurable, atLeast, atMost, finish, makeScene, round, tracheon } from './run.ts';

const rows = Number(process.argv.find((a) => a.startsWith('--rows='))?.slice(7) ?? 20_000);
const PER_PAGE = 5000;
const url = process.env.DATABASE_URL!;
const scene = await makeScene(url, 1);
const settings = await assertDurable(scene.client);

let pages: string[] = [];
const provider = createServer((req, res) =>
  res.end(pages[Number(new URL(req.url!, 'http://x').searchParams.get('p')) - 1] ?? '{"rows":[]}'),
);
await new Promise<void>((done) => provider.listen(0, '127.0.0.1', done));
const { port } = provider.address() as AddressInfo;
const server = await tracheon(url, 'off', { TRACHEON_ALLOW_OUTGOING: `127.0.0.1:${port}` });

const { rows: types } = await scene.client.query<{ id: string }>(
  `SELECT id FROM parts WHERE kind = 'event-type' LIMIT 1`,
);
const eventTypeId = types[0]!.id;
await scene.client.query(`UPDATE parts SET body = body || $1::jsonb WHERE kind = 'offer'`, [
  JSON.stringify({ conversionsFrom: [{ eventTypeId, channel: 'feed' }] }),
]);
const ids = await copiedVisits(scene, server, rows);
pages = Array.from({ length: Math.ceil(rows / PER_PAGE) }, (_, n) =>
  JSON.stringify({
    rows: ids.slice(n * PER_PAGE, (n + 1) * PER_PAGE).map((sub, i) => ({
      sub,
      site: `site-${i}.example`,
      keyword: 'star map',
      revenue: `${(i % 40) + 5}.25`,
    })),
  }),
);
const api = await ownersApi(scene, server);
const day = new Date().toISOString().slice(0, 10);
const feed = await api<FeedRecord>('POST', '/feeds', {
  name: 'Bench',
  networkId: scene.networkId,
  url: `http://127.0.0.1:${port}/report?day={day}`,
  rowsAt: 'rows',
  paging: 'page',
  pageParameter: 'p',
  slotAt: 'sub',
  counters: [{ amountAt: 'revenue', eventTypeId }],
  currency: 'EUR',
  fromDay: day,
});

async function run(): Promise<{ seconds: number; run: FeedRun }> {
  const began = performance.now();
  await api('POST', `/feeds/${feed.id}/run`, { from: day, to: day });
  for (;;) {
    const { rows: runs } = await api<{ rows: FeedRun[] }>('GET', `/feeds/${feed.id}/runs`);
    const [last] = runs;
    if (last && !['queued', 'running', 'fetched'].includes(last.state))
      return { seconds: (performance.now() - began) / 1000, run: last };
    await pause(200);
  }
}
let most = 0;
const watch = setInterval(
  () =>
    void server.metric('tracheon_process_resident_memory_bytes').then(
      (bytes) => (most = Math.max(most, bytes)),
      () => undefined,
    ),
  250,
);
const first = await run();
const again = await run();
clearInterval(watch);
await server.stop();
provider.close();
if (first.run.told !== rows || again.run.told !== 0)
  throw new Error(`${first.run.problem}: ${first.run.told} and ${again.run.told} of ${rows} changed`);
const figures = {
  rows,
  newRowsPerSecond: round(rows / first.seconds, 0),
  unchangedRowsPerSecond: round(rows / again.seconds, 0),
  rssMb: round(most / 1024 / 1024, 0),
  ...settings,
};
finish(figures, [
  atLeast('newRowsPerSecond', figures.newRowsPerSecond, 2000),
  atLeast('unchangedRowsPerSecond', figures.unchangedRowsPerSecond, 2000),
  atMost('rssMb', figures.rssMb, 300),
]);
