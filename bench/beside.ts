/**
 * What long work does to visits: 500 visits a second, evenly, first alone, then while a file is imported, then while
 * postbacks that needed repair are reprocessed; and how long both take meanwhile.
 *   npm run bench:beside -- --json --rows=50000
 * What would make it lie: a load that waits for slow answers before it asks again (each visit is due at its moment, and
 * its time counts from there); long work that is over before the load is (the run says when it ended, and must not have);
 * rows that book nothing (all are booked, asserted); durability off (asserted on); one lucky pause (the load alone is
 * measured before and after, and the slower of the two counts).
 */
import { setTimeout as pause } from 'node:timers/promises';
import type { ReceiptBatch } from '@tracheon/core/contract';
import { copiedVisits, fileOf, over, ownersApi, upload } from './files.ts';
import { assertDurable, atMost, finish, load, makeScene, round, say, secondsOr, tracheon } from './run.ts';

const rows = Number(process.argv.find((a) => a.startsWith('--rows='))?.slice(7) ?? 50_000);
const PER_SECOND = 500;
const CONNECTIONS = 64;
/** The load is a process of its own. */
const LOAD_STARTS_MS = 2500;
const seconds = secondsOr(60);
const scene = await makeScene(process.env.DATABASE_URL!, 20);
const settings = await assertDurable(scene.client);
const server = await tracheon(process.env.DATABASE_URL!);
const ids = await copiedVisits(scene, server, 2 * rows);
const api = await ownersApi(scene, server);

let from = 0;
async function visits(what: string, length = seconds): Promise<number> {
  const requests = { kind: 'visits' as const, keys: scene.campaignKeys };
  const at = { host: server.host, port: server.port, requests, from, perSecond: PER_SECOND };
  const { p99Ms, p50Ms, perSecond, next, statuses } = await load({
    ...at,
    connections: CONNECTIONS,
    seconds: length,
  });
  from = next;
  if (Object.keys(statuses).join() !== '302') throw new Error(`answers were ${JSON.stringify(statuses)}`);
  say(`${what}: ${perSecond}/s, median ${p50Ms} ms, p99 ${p99Ms} ms`);
  return p99Ms;
}

/** Visits are coming; then the run begins, and must outlast them. */
async function beside(
  what: string,
  start: () => Promise<{ id: string }>,
): Promise<{ p99Ms: number; rowsMeanwhile: number; rowsPerSecond: number }> {
  const coming = visits(`beside ${what}`);
  await pause(LOAD_STARTS_MS);
  const began = performance.now();
  const { id } = await start();
  const p99Ms = await coming;
  const now = await api<ReceiptBatch>('GET', `/receipt-batches/${id}`);
  if (now.state !== 'running') throw new Error(`${what} ended before the load: use more rows`);
  const rowsMeanwhile = round(now.finished / ((performance.now() - began) / 1000), 0);
  const aloneFrom = performance.now();
  const batch = await over(api, id);
  const booked = batch.results.find((r) => r.outcome === 'accepted')?.count ?? 0;
  if (batch.state !== 'done' || booked !== rows)
    throw new Error(`${batch.state}: ${booked} of ${rows} booked`);
  const rest = rows - now.finished;
  return {
    p99Ms,
    rowsMeanwhile,
    rowsPerSecond: round(rest / ((performance.now() - aloneFrom) / 1000), 0),
  };
}

await visits('warming up', 10);
const before = await visits('alone');
const first = await upload(
  api,
  scene,
  fileOf(ids.slice(0, rows), (n) => (n % 3 === 0 ? 'wait' : 'ok')),
);
const imported = await beside('an import', () => api('POST', `/imports/${first.id}/run`, first.settings));

// Words that the network has not mapped: kept, and nothing is booked yet.
const second = await upload(
  api,
  scene,
  fileOf(ids.slice(rows), () => 'settled'),
);
await api('POST', `/imports/${second.id}/run`, second.settings);
await over(api, second.id);
const [group] = await api<{ networkId: string; outcome: string; reason: string; key: string }[]>(
  'GET',
  '/repair-groups',
);
const { networkId, outcome, reason, key } = group!;
const reprocessed = await beside('reprocessing', () =>
  api('POST', '/repair-groups/repair', {
    networkId,
    outcome,
    reason,
    key,
    fix: { kind: 'status_word', word: 'settled', means: 'approved' },
  }),
);
const after = await visits('alone again');
await server.stop();
const alone = Math.max(before, after);
const figures = {
  rows,
  visitsPerSecond: PER_SECOND,
  aloneP99Ms: { before, after },
  import: { ...imported, ratio: round(imported.p99Ms / alone) },
  reprocessing: { ...reprocessed, ratio: round(reprocessed.p99Ms / alone) },
  ...settings,
};
finish(figures, [
  atMost('import.ratio', figures.import.ratio, 1.2),
  atMost('reprocessing.ratio', figures.reprocessing.ratio, 1.2),
]);
