/** Starting servers and loads for a bench, and the desk that it works on. */
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { makeFirstDesk } from '../server/accounts/accounts.ts';
import { migrate } from '../server/db/migrate.ts';
import { defineModels, openSequelize, type Models } from '../server/db/models.ts';
import type { Editor } from '../server/parts/partRecords.ts';
import { createPart } from '../server/parts/partsStore.ts';
import { SERVER_FLAGS } from '../scripts/serverFlags.mjs';
import { ChildProgram, freePort } from '../tests/integration/childProgram.ts';
import { sampleRouting } from '../tests/integration/sampleRouting.ts';
import { sampleParts } from '../tests/integration/sampleParts.ts';
import type { LoadResult, LoadSettings } from './load.ts';

export const CONNECTIONS = 128;
export const isJson = process.argv.includes('--json');
export const say = (words: string): void => void (isJson || process.stderr.write(`${words}\n`));
/** `--seconds=N`, else what the bench takes by itself. */
export const secondsOr = (usual: number): number =>
  Number(process.argv.find((a) => a.startsWith('--seconds='))?.slice(10) ?? usual);

export function load(
  settings: Omit<LoadSettings, 'connections'> & { connections?: number },
): Promise<LoadResult> {
  const all: LoadSettings = { connections: CONNECTIONS, ...settings };
  const child = spawn(process.execPath, ['--import', 'tsx', 'bench/load.ts'], {
    stdio: ['pipe', 'pipe', 'inherit'],
  });
  child.stdin.end(JSON.stringify(all));
  let output = '';
  child.stdout.on('data', (c: Buffer) => (output += String(c)));
  return new Promise((resolve, reject) =>
    child.once('close', (code) =>
      code === 0 ? resolve(JSON.parse(output) as LoadResult) : reject(new Error(`load ended with ${code}`)),
    ),
  );
}

export async function plain(
  kind: 'express' | 'http' | 'receiver',
  env: Record<string, string> = {},
): Promise<{ port: number; pid: number; stop: () => Promise<unknown> }> {
  const program = new ChildProgram(['--import', 'tsx', 'bench/plainServers.ts', kind], env);
  const port = Number((await program.says(/listening (\d+)/))[1]);
  return {
    port,
    pid: program.pid,
    stop: () => {
      program.signal('SIGKILL');
      return program.ended;
    },
  };
}

/** `--profile=folder`: where the server's time goes, as a CPU profile that Chromium's developer tools open. */
const profileFolder = process.argv.find((a) => a.startsWith('--profile='))?.slice(10);
const profiled = profileFolder === undefined ? [] : ['--cpu-prof', `--cpu-prof-dir=${profileFolder}`];

export interface BenchServer {
  host: string;
  port: number;
  pid: number;
  /** Origin of the desk listener. */
  desk: string;
  metric: (name: string) => Promise<number>;
  stop: () => Promise<void>;
}
/** Tracheon as it is built, its own process, with the log as in production. */
export async function tracheon(
  url: string,
  numbers: 'on' | 'off' = 'off',
  more: Record<string, string> = {},
): Promise<BenchServer> {
  const folder = mkdtempSync(join(tmpdir(), 'tracheon-bench-'));
  const [deskPort, port] = [await freePort(), await freePort('127.0.0.2')];
  const program = new ChildProgram([...SERVER_FLAGS, ...profiled, 'server/dist/server.mjs'], {
    DATABASE_URL: url,
    NODE_ENV: 'production',
    TRACHEON_SECRET: 'only for benches, and longer than thirty-two',
    TRACHEON_DATA: folder,
    TRACHEON_DESK_PORT: String(deskPort),
    TRACHEON_PARTNERS: 'off',
    TRACHEON_TRACKING_PORT: String(port),
    TRACHEON_TRUSTED_PROXIES: '127.0.0.1',
    TRACHEON_LOG: 'warn',
    TRACHEON_NUMBERS: numbers,
    ...more,
  });
  await program.says(/listening/);
  return {
    host: '127.0.0.2',
    desk: `http://127.0.0.1:${deskPort}`,
    port,
    pid: program.pid,
    metric: async (name) => {
      const text = await (await fetch(`http://127.0.0.1:${deskPort}/metrics`)).text();
      const line = text.split('\n').find((l) => l.startsWith(`${name} `));
      if (!line) throw new Error(`there is no metric ${name}`);
      return Number(line.slice(name.length + 1));
    },
    stop: async () => {
      program.signal('SIGTERM');
      const code = await program.ended;
      rmSync(folder, { recursive: true, force: true });
      if (code !== 0) throw new Error(`the server ended with ${code}:\n${program.output.slice(-2000)}`);
    },
  };
}

export interface Scene {
  models: Models;
  by: Editor;
  client: pg.Client;
  campaignKeys: string[];
  networkId: string;
  intakeKey: string;
  owner: { email: string; password: string };
}
/**
 * `campaigns` campaigns of one source with eight named sub-IDs, each with so many branches in its routing; 0: it has one offer.
 * A database that has a scene from an earlier run keeps it.
 */
export async function makeScene(url: string, campaigns: number, branches = 0): Promise<Scene> {
  const sequelize = openSequelize(url);
  await migrate(sequelize);
  const models = defineModels(sequelize);
  const owner = { name: 'O', email: 'owner@desk.test', password: 'a password of twenty' };
  const first = await makeFirstDesk(models, {
    name: 'Bench',
    zone: 'UTC',
    currency: 'EUR',
    isDemo: false,
    owner,
  });
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  const { deskId, memberId } = (
    await client.query('SELECT desk_id AS "deskId", member_id AS "memberId" FROM memberships')
  ).rows[0];
  const by = { deskId, memberId };
  if (!first) return { models, by, client, owner, ...(await sceneThere(client)) };
  const sample = sampleParts(1);
  const sub = (parameter: string) => ({ parameter, macro: `[${parameter}]`, role: 'sub', sub: parameter });
  const source = await createPart(models, by, 'source', {
    ...sample.source,
    parameters: [
      { parameter: 'clk', macro: '[click]', role: 'click_id' },
      { parameter: 'bid', macro: '[cost]', role: 'cost' },
      ...['site', 'zone', 'ad', 'camp', 'pos', 'kw', 'fmt', 'title'].map(sub),
    ],
  });
  const network = await createPart(models, by, 'network', sample.network);
  const offer = await createPart(models, by, 'offer', {
    ...sample.offer,
    networkId: network.id,
    link: 'https://go.larkspur.example/o/4471?pub=902&src={source_name}&site={sub_site}&kw={sub_kw}&z={sub_zone}&lang={language}',
  });
  const campaignKeys: string[] = [];
  for (let n = 0; n < campaigns; n++)
    campaignKeys.push(
      (
        await createPart(models, by, 'campaign', {
          ...sample.campaign,
          name: `Bench ${n}`,
          sourceId: source.id,
          ...(branches === 0 ? { offerId: offer.id } : { routing: sampleRouting(offer.id, branches) }),
        })
      ).key,
    );
  return { models, by, client, campaignKeys, networkId: network.id, intakeKey: network.key, owner };
}

async function sceneThere(
  client: pg.Client,
): Promise<Pick<Scene, 'campaignKeys' | 'networkId' | 'intakeKey'>> {
  const { rows } = await client.query<{ id: string; kind: string; key: string }>(
    `SELECT id, kind, key FROM parts WHERE kind IN ('campaign', 'network') ORDER BY id`,
  );
  const network = rows.find((p) => p.kind === 'network')!;
  const campaignKeys = rows.filter((p) => p.kind === 'campaign').map((p) => p.key);
  return { campaignKeys, networkId: network.id, intakeKey: network.key };
}

/** A figure that was bought by switching durability off is none. */
export async function assertDurable(client: pg.Client): Promise<Record<string, string>> {
  const settings: Record<string, string> = {};
  for (const name of ['fsync', 'synchronous_commit', 'full_page_writes']) {
    settings[name] = (await client.query(`SHOW ${name}`)).rows[0][name];
    if (settings[name] !== 'on') throw new Error(`${name} is ${settings[name]}`);
  }
  return settings;
}

export interface Wish {
  name: string;
  met: boolean;
}
export const atLeast = (name: string, value: number, wanted: number): Wish => ({
  name: `${name} ${value} ≥ ${wanted}`,
  met: value >= wanted,
});
export const atMost = (name: string, value: number, wanted: number): Wish => ({
  name: `${name} ${value} ≤ ${wanted}`,
  met: value <= wanted,
});

/** Prints the figures; the exit code says whether all that was wanted is met. */
export function finish(figures: object, wishes: Wish[]): never {
  if (isJson) process.stdout.write(`${JSON.stringify({ ...figures, wanted: wishes })}\n`);
  else {
    process.stdout.write(`${JSON.stringify(figures, null, 2)}\n`);
    for (const w of wishes) process.stdout.write(`${w.met ? 'met    ' : 'NOT MET'} ${w.name}\n`);
  }
  process.exit(wishes.every((w) => w.met) ? 0 : 1);
}
export const round = (value: number, digits = 2): number => Number(value.toFixed(digits));
