/**
 * How many calls in a second, kept, judged and answered with the verdict, beside a receiver that only keeps the same
 * receipts by the same group commit. 128 connections, distinct click IDs, every tenth call an update of a conversion.
 *
 * What would make it lie: calls that are answered *queued* and judged later (their share is printed and bounded, and all
 * must be judged in the end); click IDs that nobody knows (all are of visits that are there); durability off (asserted
 * on); the same few visits again and again, which would wait for each other.
 */
import { setTimeout as pause } from 'node:timers/promises';
import { ulid } from 'ulid';
import { keepPartitions } from '../server/db/partitions.ts';
import { openPool } from '../server/db/pools.ts';
import type { LoadResult } from './load.ts';
import {
  assertDurable,
  atLeast,
  atMost,
  finish,
  load,
  makeScene,
  plain,
  round,
  say,
  secondsOr,
  tracheon,
} from './run.ts';
import { postmasterOf, withCpu } from './cpu.ts';
import { preloadConversions } from './preload.ts';
import type { Wanted } from './requests.ts';

const seconds = secondsOr(20);
const WARM_SECONDS = 4;
const PLANS_KEPT_AFTER_MS = 12_000;
const url = process.env.DATABASE_URL!;
const scene = await makeScene(url, 5);
const settings = await assertDurable(scene.client);
const postmaster = await postmasterOf(scene.client);
/** Before the server is there: its sweep would find the receipts, and try to judge what is nobody's. */
async function plainReceiver(): Promise<LoadResult> {
  const env = { DATABASE_URL: url, BENCH_DESK: scene.by.deskId, BENCH_NETWORK: 'plain' };
  const receiver = await plain('receiver', env);
  const clickIds = Array.from({ length: 1000 }, () => ulid());
  const requests: Wanted = { kind: 'calls', keys: [scene.intakeKey], clickIds };
  const plainAt = { host: '127.0.0.1', port: receiver.port, requests };
  await load({ ...plainAt, from: 0, seconds: 2 });
  const result = await load({ ...plainAt, from: 0, seconds: 8 });
  await receiver.stop();
  await scene.client.query(`DELETE FROM receipts WHERE network_id = 'plain'`);
  say(`plain receiver ${result.perSecond}/s`);
  return result;
}

const pool = openPool(url, 'bench', 1);
await keepPartitions(pool, Date.now());
await pool.end();
const kept = await plainReceiver();
const server = await tracheon(url);
const visits = await load({
  host: server.host,
  port: server.port,
  requests: { kind: 'visits', keys: scene.campaignKeys },
  from: 0,
  seconds: 20,
});
const { rows: ids } = await scene.client.query<{ id: string }>('SELECT id FROM visits WHERE NOT is_bot');
say(`${ids.length} visits at ${visits.perSecond}/s`);
const clickIds = ids.map((r) => r.id);
const requests: Wanted = { kind: 'calls', keys: [scene.intakeKey], clickIds };
const at = { host: server.host, port: server.port, requests: { ...requests, mark: 'queued' } };
const warm = await load({ ...at, from: 0, seconds: WARM_SECONDS });
const preloaded = await preloadConversions(scene);
// As on a desk that has run for a while: autovacuum counts the rows within a minute, and plans are kept from then on.
await scene.client.query('ANALYZE outcomes, conversions, ledger, outbox, parts, part_versions');
await pause(PLANS_KEPT_AFTER_MS);
const { result: hot, cpu } = await withCpu({ serverPid: server.pid, postmaster }, () =>
  load({ ...at, from: warm.next, seconds }),
);
const rssMb = (await server.metric('tracheon_process_resident_memory_bytes')) / 1024 / 1024;
const answered = (warm.statuses['200'] ?? 0) + (hot.statuses['200'] ?? 0);
if (answered > clickIds.length) throw new Error(`${answered} calls, but only ${clickIds.length} visits`);
const left = async (): Promise<number> =>
  Number(
    (
      await scene.client.query(
        `SELECT count(*) AS n FROM receipts r LEFT JOIN outcomes o ON o.desk_id = r.desk_id AND o.receipt_id = r.id
         WHERE r.network_id = $1 AND (o.receipt_id IS NULL OR o.outcome = 'queued')`,
        [scene.networkId],
      )
    ).rows[0].n,
  );
for (let n = 0; n < 120 && (await left()) > 0; n++) await pause(500);
const unjudged = await left();
const { rows } = await scene.client.query<{ receipts: string; conversions: string }>(
  `SELECT (SELECT count(*) FROM receipts WHERE network_id = $1) AS receipts, (SELECT count(*) FROM conversions) AS conversions`,
  [scene.networkId],
);
await server.stop();
if (unjudged > 0 || Number(rows[0]!.receipts) - preloaded !== answered)
  throw new Error(`${answered} answers, ${rows[0]!.receipts} receipts, ${unjudged} of them not judged`);

const figures = {
  perSecond: hot.perSecond,
  plainPerSecond: kept.perSecond,
  ratioToPlainInsert: round(hot.perSecond / kept.perSecond),
  p50Ms: hot.p50Ms,
  p99Ms: hot.p99Ms,
  ...cpu,
  preloaded,
  queuedShare: round(hot.marked / (hot.statuses['200'] ?? 1), 4),
  rssMb: round(rssMb, 0),
  receipts: Number(rows[0]!.receipts),
  conversions: Number(rows[0]!.conversions),
  seconds,
  ...settings,
};
finish(figures, [
  atMost('cpuServerUs', cpu.cpuServerUs, 260),
  atMost('cpuDatabaseUs', cpu.cpuDatabaseUs, 280),
  atLeast('ratioToPlainInsert', figures.ratioToPlainInsert, 0.4),
  atMost('queuedShare', figures.queuedShare, 0.01),
]);
