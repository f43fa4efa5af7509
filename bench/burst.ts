/**
 * A network that catches up after an outage: 50 000 postbacks as fast as it gets answers, while 500 visits come in each second.
 * How visits fare, whether the last third is judged as fast as the first, and what memory it takes.
 *   npm run bench:burst -- --json --calls=50000
 * What would make it lie: a burst that is over before the load of visits is measured beside it (visits come until after it has
 * ended, and their time beside it is taken alone); postbacks that nobody knows (all are of visits that are there, and all must be
 * judged in the end); answers *queued* (their share is printed); a load that waits for slow answers before it asks again (each
 * visit is due at its moment); durability off (asserted on). The load generators and PostgreSQL share the cores with the server.
 */
import { setTimeout as pause } from 'node:timers/promises';
import { copiedVisits } from './files.ts';
import {
  assertDurable,
  atLeast,
  atMost,
  finish,
  load,
  makeScene,
  round,
  say,
  secondsOr,
  tracheon,
} from './run.ts';

const calls = Number(process.argv.find((a) => a.startsWith('--calls='))?.slice(8) ?? 50_000);
const PER_SECOND = 500;
const CONNECTIONS = 64;
const LOOK_EVERY_MS = 1000;
/** Longer than any burst is looked at. */
const MOST_SECONDS = 600;
const seconds = secondsOr(30);
const scene = await makeScene(process.env.DATABASE_URL!, 20);
const settings = await assertDurable(scene.client);
const server = await tracheon(process.env.DATABASE_URL!);
const clickIds = await copiedVisits(scene, server, calls);
const at = { host: server.host, port: server.port, connections: CONNECTIONS };

let from = 0;
async function visits(what: string, length: number): Promise<number> {
  const requests = { kind: 'visits' as const, keys: scene.campaignKeys };
  const { p99Ms, p50Ms, next, statuses } = await load({
    ...at,
    requests,
    from,
    perSecond: PER_SECOND,
    seconds: length,
  });
  from = next;
  if (Object.keys(statuses).join() !== '302') throw new Error(`answers were ${JSON.stringify(statuses)}`);
  say(`${what}: median ${p50Ms} ms, p99 ${p99Ms} ms`);
  return p99Ms;
}
const judged = async (): Promise<number> =>
  Number(
    (await scene.client.query(`SELECT count(*) AS n FROM outcomes WHERE outcome <> 'queued'`)).rows[0].n,
  );
const rssMb = async (): Promise<number> =>
  (await server.metric('tracheon_process_resident_memory_bytes')) / 1024 / 1024;

await visits('warming up', 10);
const before = await visits('alone', seconds);

/** [ms since the burst began, judged, MB] */
const looks: [number, number, number][] = [];
let isOver = false;
const began = performance.now();
const looking = (async () => {
  while (!isOver || (looks.at(-1)?.[1] ?? 0) < calls) {
    if (performance.now() - began > MOST_SECONDS * 1000)
      throw new Error(`${looks.at(-1)?.[1]} of ${calls} are judged`);
    looks.push([performance.now() - began, await judged(), await rssMb()]);
    await pause(LOOK_EVERY_MS);
  }
})();
const burst = load({
  ...at,
  requests: { kind: 'calls', keys: [scene.intakeKey], clickIds, mark: 'queued' },
  from: 0,
  most: calls,
  seconds: MOST_SECONDS,
});
// One load of visits after the other, of which those count that are over before the burst is.
const beside: number[] = [];
const coming = (async () => {
  while (!isOver) {
    const p99Ms = await visits('beside the burst', 10);
    if (!isOver) beside.push(p99Ms);
  }
})();
const told = await burst;
isOver = true;
const burstSeconds = (performance.now() - began) / 1000;
await Promise.all([coming, looking]);
const after = await visits('alone again', seconds);
await server.stop();
if (beside.length === 0) throw new Error('the burst was over before visits were measured: use more calls');
if (told.statuses['200'] !== calls) throw new Error(`answers were ${JSON.stringify(told.statuses)}`);

/** Judged a second between two shares of the burst. */
function rateBetween(low: number, high: number): number {
  const first = looks.find(([, n]) => n >= calls * low)!;
  const last = looks.find(([, n]) => n >= calls * high)!;
  return round((last[1] - first[1]) / ((last[0] - first[0]) / 1000), 0);
}
const third = Math.floor(looks.length / 3);
const meanMb = (some: typeof looks): number => some.reduce((sum, [, , mb]) => sum + mb, 0) / some.length;
const alone = Math.max(before, after);
const figures = {
  calls,
  burstSeconds: round(burstSeconds, 1),
  perSecond: told.perSecond,
  queuedShare: round(told.marked / calls, 4),
  judgedPerSecond: { firstThird: rateBetween(0.05, 0.35), lastThird: rateBetween(0.65, 0.95) },
  visitsPerSecond: PER_SECOND,
  visitsP99Ms: { before, beside: Math.max(...beside), after },
  ratio: round(Math.max(...beside) / alone),
  rssMb: round(meanMb(looks.slice(-third)), 0),
  rssGrowth: round(meanMb(looks.slice(-third)) / meanMb(looks.slice(third, 2 * third))),
  ...settings,
};
finish(figures, [
  atLeast(
    'lastThird / firstThird',
    round(figures.judgedPerSecond.lastThird / figures.judgedPerSecond.firstThird),
    0.9,
  ),
  atMost('rssGrowth', figures.rssGrowth, 1.1),
]);
