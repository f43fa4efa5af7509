/**
 * How long a file of conversions takes: rows uploaded and kept, then made into receipts and judged by the running server,
 * with the most memory that the server takes for it. Every row has a click ID of its own and an own transaction.
 *   npm run bench:import -- --json --rows=200000
 * What would make it lie: rows of unknown clicks, which book nothing (all are booked, asserted); few visits over and over
 * (each row has its own); durability off (asserted on); a run that is not over when the clock stops (the batch says so).
 */
import { setTimeout as pause } from 'node:timers/promises';
import type { ReceiptBatch, ImportDraft } from '@tracheon/core/contract';
import { makeUlid } from '@tracheon/core/identity';
import { assertDurable, atMost, finish, makeScene, round, say, tracheon } from './run.ts';

const rows = Number(process.argv.find((a) => a.startsWith('--rows='))?.slice(7) ?? 20_000);
const url = process.env.DATABASE_URL!;
const scene = await makeScene(url, 1);
const settings = await assertDurable(scene.client);
const server = await tracheon(url);

/** No bot: a conversion of one would clear its mark as well. */
const VISITOR =
  'Mozilla/5.0 (Linux; Android 15; Pixel 8) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Mobile Safari/537.36';
/** A real visit, and copies of it with IDs of their own. */
const first = await fetch(`http://${server.host}:${server.port}/v/${scene.campaignKeys[0]}?clk=one`, {
  redirect: 'manual',
  headers: { 'User-Agent': VISITOR },
});
if (first.status !== 302) throw new Error(`the visit was answered ${first.status}`);
await pause(500);
const { rows: columns } = await scene.client.query<{ name: string }>(
  `SELECT column_name AS name FROM information_schema.columns WHERE table_name = 'visits' AND column_name NOT IN ('id', 'tx')`,
);
const now = Date.now();
const ids = Array.from({ length: rows }, (_, n) =>
  makeUlid(
    now,
    Array.from({ length: 16 }, (_, i) => (n >> (i * 5)) & 31),
  ),
);
const names = columns.map((c) => `"${c.name}"`).join(', ');
await scene.client.query(
  `INSERT INTO visits (id, ${names}) SELECT k.id, ${names} FROM visits, unnest($1::text[]) AS k (id)`,
  [ids],
);
await scene.client.query('ANALYZE');
say(`${rows} visits`);

const session = { Cookie: '', 'X-CSRF-Token': '' };
async function api<T>(method: string, path: string, body?: unknown): Promise<T> {
  const isFile = body instanceof Uint8Array;
  const res = await fetch(`${server.desk}/api${path}`, {
    method,
    headers: {
      ...session,
      Origin: server.desk,
      'Content-Type': isFile ? 'application/octet-stream' : 'application/json',
    },
    ...(body === undefined
      ? {}
      : { body: isFile ? (body as Uint8Array<ArrayBuffer>) : JSON.stringify(body) }),
  });
  if (!res.ok) throw new Error(`${path}: ${res.status} ${await res.text()}`);
  session.Cookie = res.headers.get('set-cookie')?.split(';')[0] ?? session.Cookie;
  return (await res.json()) as T;
}
session['X-CSRF-Token'] = (await api<{ csrfToken: string }>('POST', '/sign-in', scene.owner)).csrfToken;
const file = ['click_id,payout,currency,transaction,status']
  .concat(ids.map((id, n) => `${id},${(n % 90) + 1}.50,EUR,file-${n},${n % 3 === 0 ? 'wait' : 'ok'}`))
  .join('\n');
let most = 0;
const watch = setInterval(
  () =>
    void server.metric('tracheon_process_resident_memory_bytes').then(
      (bytes) => (most = Math.max(most, bytes)),
      () => undefined,
    ),
  250,
);
const began = performance.now();
const uploaded = await api<ImportDraft>(
  'POST',
  `/imports?name=bench.csv&network=${scene.networkId}`,
  new TextEncoder().encode(file),
);
const uploadedAt = performance.now();
await api('POST', `/imports/${uploaded.id}/run`, uploaded.settings);
let batch: ReceiptBatch;
do {
  await pause(500);
  batch = await api<ReceiptBatch>('GET', `/receipt-batches/${uploaded.id}`);
} while (batch.state === 'running');
const ended = performance.now();
clearInterval(watch);
await server.stop();
const booked = batch.results.find((r) => r.outcome === 'accepted')?.count ?? 0;
if (batch.state !== 'done' || booked !== rows) throw new Error(`${batch.state}: ${booked} of ${rows} booked`);
const figures = {
  rows,
  uploadRowsPerSecond: round(rows / ((uploadedAt - began) / 1000), 0),
  rowsPerSecond: round(rows / ((ended - uploadedAt) / 1000), 0),
  rssMb: round(most / 1024 / 1024, 0),
  fileMb: round(file.length / 1024 / 1024, 1),
  ...settings,
};
finish(figures, [atMost('rssMb', figures.rssMb, 500)]);
