/**
 * How many visits a second, durable before they are answered, beside constant redirects on the same machine in the same
 * run. One load generator, 128 connections; 600 agents, 50 000 addresses, 20 campaigns, 8 named sub-IDs; with
 * `--branches N` each campaign has a routing of so many branches.
 *
 * What would make it lie: durability switched off (asserted on); rows that were answered and not written (rows must
 * equal the 302s); rows that went to the spool instead (asserted none); a load generator that is slower than what it
 * measures (bare node:http shows what it can do); agents that are all new or all the same (the cache's hit rate is
 * printed); a machine whose speed changes (both constants are measured before and after, and averaged). The load
 * generator and PostgreSQL share the two cores with the server: on a machine with more, the ratios rise.
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
import { postmasterOf, withCpu } from './cpu.ts';
import { preloadVisits } from './preload.ts';
import type { Wanted } from './requests.ts';

const PLAIN_SECONDS = 8;
const WARM_SECONDS = 10;
const seconds = secondsOr(120);
const url = process.env.DATABASE_URL!;
/** `--branches 20`: each campaign has so many. */
const branches = Number(/--branches[ =](\d+)/.exec(process.argv.join(' '))?.[1] ?? 0);
const scene = await makeScene(url, 20, branches);
const settings = await assertDurable(scene.client);
const postmaster = await postmasterOf(scene.client);
const requests: Wanted = { kind: 'visits', keys: scene.campaignKeys };

async function constants(): Promise<{ express: number; http: number; cpuUs: number }> {
  const speeds = { express: 0, http: 0, cpuUs: 0 };
  for (const kind of ['express', 'http'] as const) {
    const server = await plain(kind);
    const at = { host: '127.0.0.1', port: server.port, requests, from: 0 };
    await load({ ...at, seconds: 2 });
    const { result, cpu } = await withCpu({ serverPid: server.pid, postmaster }, () =>
      load({ ...at, seconds: PLAIN_SECONDS }),
    );
    speeds[kind] = result.perSecond;
    speeds.cpuUs = cpu.cpuServerUs;
    await server.stop();
    say(`bare ${kind} ${speeds[kind]}/s`);
  }
  return speeds;
}

const before = await constants();
const server = await tracheon(url);
const at = { host: server.host, port: server.port, requests };
const warm = await load({ ...at, from: 0, seconds: WARM_SECONDS });
const preloaded = await preloadVisits(scene);
const memory: number[] = [];
const watching = setInterval(() => {
  void server.metric('tracheon_process_resident_memory_bytes').then((b) => memory.push(b / 1024 / 1024));
}, 5000);
const { result: hot, cpu } = await withCpu({ serverPid: server.pid, postmaster }, () =>
  load({ ...at, from: warm.next, seconds }),
);
clearInterval(watching);
await pause(500);
const [hits, misses] = [
  await server.metric('tracheon_agent_cache_hits_total'),
  await server.metric('tracheon_agent_cache_misses_total'),
];
const spooled = await server.metric('tracheon_rows_total{kind="visit",fate="spooled"}');
await server.stop();
const after = await constants();

const redirects = (warm.statuses['302'] ?? 0) + (hot.statuses['302'] ?? 0);
const others = [warm, hot].flatMap((r) => Object.keys(r.statuses)).filter((s) => s !== '302');
const rows = Number((await scene.client.query('SELECT count(*) AS n FROM visits')).rows[0].n) - preloaded;
if (others.length > 0 || rows !== redirects)
  throw new Error(`${redirects} redirects, ${rows} rows, other answers ${others.join()}`);
const mean = (a: number, b: number): number => Math.round((a + b) / 2);
const bareExpress = mean(before.express, after.express);
const bareHttp = mean(before.http, after.http);
const third = Math.max(1, Math.floor(memory.length / 3));
const average = (list: number[]): number => list.reduce((a, b) => a + b, 0) / Math.max(1, list.length);
const figures = {
  bareExpress,
  bareHttp,
  tracheon: hot.perSecond,
  ratioExpress: round(hot.perSecond / bareExpress),
  ratioHttp: round(hot.perSecond / bareHttp),
  p50Ms: hot.p50Ms,
  p99Ms: hot.p99Ms,
  ...cpu,
  /** What a constant answer of bare node:http takes: by how much this machine, and its state now, slows every figure. */
  cpuBareHttpUs: round((before.cpuUs + after.cpuUs) / 2, 1),
  preloaded,
  rssMb: round(average(memory.slice(-third)), 0),
  /** Last third of the run beside the middle one. */
  rssGrowth: round(average(memory.slice(-third)) / average(memory.slice(-2 * third, -third))),
  cacheHitRate: round(hits / (hits + misses), 4),
  spooled,
  rows,
  seconds,
  ...settings,
};
finish(figures, [
  atMost('cpuServerUs', cpu.cpuServerUs, 85),
  atMost('cpuDatabaseUs', cpu.cpuDatabaseUs, 35),
  atLeast('ratioExpress', figures.ratioExpress, 1.4),
  atLeast('ratioHttp', figures.ratioHttp, 0.33),
  atMost('p99Ms', figures.p99Ms, 35),
  atMost('rssGrowth', figures.rssGrowth, 1.1),
  atMost('spooled', spooled, 0),
]);
