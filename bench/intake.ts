/**
 * How many calls in a second, kept, judged and answered with the verdict, beside a receiver that only keeps the same
 * receipts by the same group commit. 128 connections, distinct click IDs, every tenth call an update of a conversion.
 *
 * What would make it lie: calls that are answered *queued* and judged later (their share is printed and bounded, and all
 * must be judged in the end); click IDs that nobody knows (all are of visits that are there); durability off (asserted
 * on); the same few visits again and again, which would wait for each other.
 */
import { setTimeout as pause } from 'node:timers/promises';
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
import type { Wanted } from './requests.ts';

const seconds = secondsOr(20);
const WARM_SECONDS = 4;
const url = process.env.DATABASE_URL!;
const scene = await makeScene(url, 5);
const settings = await assertDurable(scene.client);
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

const receiver = await plain('receiver', {
  DATABASE_URL: url,
  BENCH_DESK: scene.by.deskId,
  BENCH_NETWORK: 'plain',
});
const requests: Wanted = { kind: 'calls', keys: [scene.intakeKey], clickIds };
const plainAt = {
  host: '127.0.0.1',
  port: receiver.port,
  requests: { ...requests, clickIds: clickIds.slice(0, 1000) },
};
await load({ ...plainAt, from: 0, seconds: 2 });
const kept = await load({ ...plainAt, from: 0, seconds: 8 });
await receiver.stop();
// They are nobody's, and must not be judged beside the others.
await scene.client.query(`DELETE FROM receipts WHERE network_id = 'plain'`);
say(`plain receiver ${kept.perSecond}/s`);

const at = { host: server.host, port: server.port, requests: { ...requests, mark: 'queued' } };
const warm = await load({ ...at, from: 0, seconds: WARM_SECONDS });
const hot = await load({ ...at, from: warm.next, seconds });
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
if (unjudged > 0 || Number(rows[0]!.receipts) !== answered)
  throw new Error(`${answered} answers, ${rows[0]!.receipts} receipts, ${unjudged} of them not judged`);

const figures = {
  perSecond: hot.perSecond,
  plainPerSecond: kept.perSecond,
  ratioToPlainInsert: round(hot.perSecond / kept.perSecond),
  p50Ms: hot.p50Ms,
  p99Ms: hot.p99Ms,
  queuedShare: round(hot.marked / (hot.statuses['200'] ?? 1), 4),
  rssMb: round(rssMb, 0),
  receipts: Number(rows[0]!.receipts),
  conversions: Number(rows[0]!.conversions),
  seconds,
  ...settings,
};
finish(figures, [
  atLeast('ratioToPlainInsert', figures.ratioToPlainInsert, 0.35),
  atMost('queuedShare', figures.queuedShare, 0.01),
]);
