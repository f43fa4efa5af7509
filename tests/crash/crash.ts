/**
 * Nothing lost: the server is killed with SIGKILL again and again under load from another process, also while it loads
 * its spool; PostgreSQL is stopped twice; the server is restarted once while PostgreSQL is down. Then every
 * acknowledgement is compared with the database, field by field.
 *
 *   npm run crash -- [--json] [--short] [--fault]
 *     --short  two minutes, with bounds to match
 *     --fault  the server answers before it commits: the run must find rows lost
 *
 * What would make it lie: SIGKILL keeps the page cache, so it says nothing about fsync (the spool's is tested on a disk
 * that forgets, server/events/spool.test.ts; PostgreSQL's is its own). The oracle is what the load has sent.
 */
import { spawn } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { freePort } from '../integration/childProgram.ts';
import { compare, type Comparison } from './compare.ts';
import { makeScene } from './scene.ts';
import type { LoadSettings } from './sent.ts';
import { TheServer } from './theServer.ts';

/** PostgreSQL as this run may treat it. */
export interface Outage {
  url: string;
  stop: () => Promise<void> | void;
  start: () => Promise<void> | void;
  drop?: () => Promise<void>;
}
export interface Plot {
  randomKills: number;
  killsPerLoading: number;
  outageMs: number;
  lanes: number;
  pauseMs: number;
  fault: boolean;
}
export interface CrashReport extends Comparison {
  seconds: number;
  /** From the end of the load until every call was judged and the spool empty. */
  settlingSeconds: number;
  kills: number;
  killsDuringLoad: number;
  startsWithoutDatabase: number;
  spooled: number;
}
export const longPlot: Plot = {
  randomKills: 14,
  killsPerLoading: 4,
  outageMs: 15_000,
  lanes: 16,
  pauseMs: 0,
  fault: false,
};
export const shortPlot: Plot = {
  ...longPlot,
  randomKills: 4,
  killsPerLoading: 2,
  outageMs: 5000,
  lanes: 6,
  pauseMs: 80,
};
export const faultPlot: Plot = { ...shortPlot, randomKills: 2, killsPerLoading: 0, outageMs: 0, fault: true };

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));
/** The same moments in each run, though machines differ. */
const lifeMs = (n: number): number => 600 + ((n * 733) % 1900);

export async function runCrash(
  postgres: Outage,
  plot: Plot,
  say: (words: string) => void,
): Promise<CrashReport> {
  const began = Date.now();
  const folder = mkdtempSync(join(tmpdir(), 'tracheon-crash-'));
  const run = Date.now().toString(36);
  const keys = await makeScene(postgres.url);
  const [deskPort, trackingPort] = [await freePort(), await freePort('127.0.0.2')];
  const server = new TheServer(
    {
      DATABASE_URL: postgres.url,
      TRACHEON_SECRET: 'only for tests, and longer than thirty-two',
      TRACHEON_DATA: folder,
      TRACHEON_DESK_PORT: String(deskPort),
      TRACHEON_PARTNERS: 'off',
      TRACHEON_TRACKING_PORT: String(trackingPort),
      TRACHEON_TRUSTED_PROXIES: '127.0.0.1',
      TRACHEON_LOG: 'info',
      TRACHEON_NUMBERS: 'off',
      ...(plot.fault ? { TRACHEON_FAULT: 'answer_before_commit' } : {}),
    },
    `http://127.0.0.1:${deskPort}`,
  );
  const log = join(folder, 'acknowledged.jsonl');
  const origin = `http://127.0.0.2:${trackingPort}`;
  const load = startLoad({ origin, ...keys, run, lanes: plot.lanes, pauseMs: plot.pauseMs, log });
  await randomKills(server, Math.ceil(plot.randomKills / 2), say);
  if (plot.outageMs > 0) {
    await outage(postgres, server, plot, true, say);
    await outage(postgres, server, plot, false, say);
  }
  await randomKills(server, Math.floor(plot.randomKills / 2), say);
  await server.start();
  await pause(1000);
  await load.end();
  const ended = Date.now();
  await settled(postgres.url, join(folder, 'spool'), plot.fault);
  const settlingSeconds = Math.round((Date.now() - ended) / 1000);
  const found = await compare(postgres.url, run, log);
  const code = await server.stop();
  if (code !== 0) throw new Error(`the orderly end gave ${code}\n${server.lastWords}`);
  rmSync(folder, { recursive: true, force: true });
  const { kills, killsDuringLoad, startsWithoutDatabase, spooled } = server;
  const seconds = Math.round((Date.now() - began) / 1000);
  return { seconds, settlingSeconds, kills, killsDuringLoad, startsWithoutDatabase, spooled, ...found };
}

async function randomKills(server: TheServer, times: number, say: (words: string) => void): Promise<void> {
  for (let n = 0; n < times; n++) {
    await server.start();
    await pause(lifeMs(server.kills));
    await server.kill();
  }
  say(`${server.kills} kills`);
}

/** The database goes under a living server; with `restart` that one is killed, and another started without the database. */
async function outage(
  postgres: Outage,
  server: TheServer,
  plot: Plot,
  restart: boolean,
  say: (words: string) => void,
): Promise<void> {
  await server.start();
  await pause(1000);
  await postgres.stop();
  say('PostgreSQL stopped');
  await pause(plot.outageMs / 2);
  if (restart) {
    await server.kill();
    await server.start();
  }
  await pause(plot.outageMs / 2);
  await postgres.start();
  say(`PostgreSQL back, ${server.spooled} rows were spooled so far`);
  for (let n = 0; n < plot.killsPerLoading; n++) {
    if (!(await server.killWhileLoading(10_000))) {
      await server.kill();
      say('nothing was left to load');
      return;
    }
    if (n < plot.killsPerLoading - 1) await server.start();
  }
  say(`${server.killsDuringLoad} kills while loading`);
}

function startLoad(settings: LoadSettings): { end: () => Promise<void> } {
  const child = spawn(
    process.execPath,
    ['--import', 'tsx', 'tests/crash/load.ts', JSON.stringify(settings)],
    {
      stdio: ['ignore', 'ignore', 'inherit'],
    },
  );
  const ended = new Promise<number | null>((resolve) => child.once('close', resolve));
  return {
    end: async () => {
      child.kill('SIGTERM');
      const code = await ended;
      if (code !== 0) throw new Error(`the load ended with ${code}`);
    },
  };
}

/** Until nothing waits any more; a faulty server may never come to that, so it is given a moment only. */
async function settled(url: string, spool: string, fault: boolean): Promise<void> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  const end = Date.now() + (fault ? 5000 : 300_000);
  for (;;) {
    const { rows } = await client.query<{ n: string }>(
      `SELECT count(*) AS n FROM receipts r LEFT JOIN outcomes o ON o.desk_id = r.desk_id AND o.receipt_id = r.id
       WHERE o.receipt_id IS NULL OR o.outcome = 'queued' OR o.reason = 'unknown_click'`,
    );
    // A server that never had to spool has not made the folder.
    const files = existsSync(spool) ? readdirSync(spool).length : 0;
    if ((rows[0]!.n === '0' && files === 0) || Date.now() > end) break;
    await pause(250);
  }
  await client.end();
}
