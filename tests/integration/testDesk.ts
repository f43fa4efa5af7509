/** A whole server in this process, on free ports and a fresh database, with a desk and its owner signed in. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pino } from 'pino';
import type pg from 'pg';
import type {
  CallInRow,
  ConversionRow,
  Page,
  PartKind,
  PartRecord,
  Role,
  VisitRow,
} from '@tracheon/core/contract';
import { addMember, makeFirstDesk } from '../../server/accounts/accounts.ts';
import { startServer, type RunningServer } from '../../server/app/startServer.ts';
import { parseConfig } from '../../server/config/config.ts';
import { migrate } from '../../server/db/migrate.ts';
import { openSequelize } from '../../server/db/models.ts';
import { openPool } from '../../server/db/pools.ts';
import { ApiClient } from './apiClient.ts';
import { freshDatabase, type FreshDatabase } from './freshDatabase.ts';
import { sampleParts, type Sample } from './sampleParts.ts';

export const PHONE =
  'Mozilla/5.0 (Linux; Android 15; Pixel 8) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Mobile Safari/537.36';
/** Signs sessions and visits; a second server beside the first needs the same. */
export const SECRET = 'only for tests, and longer than thirty-two';
const OWNER = { email: 'owner@desk.test', password: 'a password of twenty' };

export interface TestDesk {
  running: RunningServer;
  database: FreshDatabase;
  pool: pg.Pool;
  owner: ApiClient;
  deskId: string;
  tracking: string;
  member: (role: Role) => Promise<ApiClient>;
  make: <K extends PartKind>(kind: K, body: unknown) => Promise<PartRecord<K>>;
  /** A chain of the sample parts, each body changed as asked, live on the tracking listener. */
  chain: (more?: Partial<Sample>) => Promise<Chain>;
  visit: (path: string, headers?: Record<string, string>, method?: string) => Promise<Response>;
  call: (
    key: string,
    query: string,
    init?: RequestInit,
  ) => Promise<{ status: number; text: string; json: () => { outcome: string; reason: string } }>;
  /** A call and its verdict; one that was answered *queued* on a busy machine is waited for. */
  say: (
    key: string,
    query: string,
    init?: RequestInit,
  ) => Promise<{ status: number; outcome: string; reason: string }>;
  list: <R>(path: string) => Promise<R[]>;
  visits: () => Promise<VisitRow[]>;
  callsIn: () => Promise<CallInRow[]>;
  booked: () => Promise<ConversionRow[]>;
  close: () => Promise<void>;
}
export interface Chain {
  network: PartRecord<'network'>;
  source: PartRecord<'source'>;
  offer: PartRecord<'offer'>;
  campaign: PartRecord<'campaign'>;
  /** Sends a visit and returns its click ID. */
  send: (query?: string, headers?: Record<string, string>) => Promise<string>;
}

export async function openTestDesk(environment: Record<string, string> = {}): Promise<TestDesk> {
  const database = await freshDatabase();
  const dataFolder = mkdtempSync(join(tmpdir(), 'tracheon-desk-'));
  const sequelize = openSequelize(database.url);
  await migrate(sequelize);
  await sequelize.close();
  const config = parseConfig({
    DATABASE_URL: database.url,
    TRACHEON_DESK_PORT: '0',
    TRACHEON_TRACKING_PORT: '0',
    TRACHEON_SECRET: SECRET,
    TRACHEON_TRUSTED_PROXIES: '127.0.0.1',
    TRACHEON_DATA: dataFolder,
    TRACHEON_LOG: 'silent',
    ...environment,
  });
  const running = await startServer(config, pino({ level: config.logLevel }), 'web/dist');
  const first = await makeFirstDesk(running.models, {
    name: 'Hobby kits, Ghent',
    zone: 'Europe/Brussels',
    currency: 'EUR',
    isDemo: false,
    owner: { name: 'Owner', ...OWNER },
  });
  const deskOrigin = `http://127.0.0.1:${running.deskPort}`;
  const tracking = `http://127.0.0.2:${running.trackingPort}`;
  const owner = new ApiClient(deskOrigin);
  await owner.signIn(OWNER.email, OWNER.password);
  const pool = openPool(database.directUrl, 'test', 3);
  const desk: TestDesk = {
    running,
    database,
    pool,
    owner,
    deskId: first!.deskId,
    tracking,
    member: async (role) => {
      const email = `${role}${Math.random()}@desk.test`;
      await addMember(running.models, first!.deskId, { name: role, email, role, password: OWNER.password });
      const client = new ApiClient(deskOrigin);
      await client.signIn(email, OWNER.password);
      return client;
    },
    make: async (kind, body) => {
      const made = await owner.post<never>(`/parts/${kind}`, body);
      if (made.status !== 201) throw new Error(`${kind}: ${made.status} ${JSON.stringify(made.body)}`);
      return made.body;
    },
    chain: (more = {}) => makeChain(desk, more),
    visit: (path, headers = {}, method = 'GET') =>
      fetch(tracking + path, { method, redirect: 'manual', headers: { 'User-Agent': PHONE, ...headers } }),
    call: async (key, query, init = {}) => {
      const res = await fetch(`${tracking}/in/${key}${query === '' ? '' : `?${query}`}`, init);
      const text = await res.text();
      return {
        status: res.status,
        text,
        json: () => JSON.parse(text) as { outcome: string; reason: string },
      };
    },
    say: async (key, query, init = {}) => {
      const answer = await desk.call(key, query, init);
      const said = { status: answer.status, ...answer.json() };
      if (said.outcome !== 'queued') return said;
      const [kept] = await desk.callsIn();
      const judged = async () => (await desk.callsIn()).find((c) => c.id === kept!.id)!;
      await until(async () => (await judged()).outcome !== 'queued', 'the verdict');
      const { outcome, sentence } = await judged();
      return { status: answer.status, outcome, reason: sentence };
    },
    list: async <R>(path: string) => (await owner.get<Page<R>>(path)).body.rows,
    visits: () => desk.list<VisitRow>('/visits?limit=200'),
    callsIn: () => desk.list<CallInRow>('/calls-in?limit=200'),
    booked: () => desk.list<ConversionRow>('/booked?limit=200'),
    close: async () => {
      await running.close();
      await pool.end();
      await database.drop();
      rmSync(dataFolder, { recursive: true, force: true });
    },
  };
  return desk;
}

async function makeChain(desk: TestDesk, more: Partial<Sample>): Promise<Chain> {
  const n = ++serial;
  const sample = sampleParts(n);
  const network = await desk.make('network', { ...sample.network, ...more.network });
  const source = await desk.make('source', { ...sample.source, ...more.source });
  const offer = await desk.make('offer', { ...sample.offer, networkId: network.id, ...more.offer });
  const campaign = await desk.make('campaign', {
    ...sample.campaign,
    sourceId: source.id,
    offerId: offer.id,
    ...more.campaign,
  });
  await untilLive(desk, campaign.key);
  return {
    network,
    source,
    offer,
    campaign,
    send: async (query = '', headers = {}) => {
      const res = await desk.visit(`/v/${campaign.key}?${query}`, headers);
      const found = /[0-9A-HJKMNP-TV-Z]{26}/.exec(res.headers.get('location') ?? '');
      if (!found) throw new Error(`no click ID: ${res.status} ${await res.text()}`);
      return found[0];
    },
  };
}
let serial = 0;

/** A change is live within a second; asking is by HEAD, which leaves no mark. */
async function untilLive(desk: TestDesk, key: string): Promise<void> {
  await until(
    async () => (await desk.visit(`/v/${key}`, {}, 'HEAD')).status !== 404,
    'the campaign to be live',
    5000,
    // A key that is not live yet counts as an unknown one, and those are limited by the minute.
    100,
  );
}

/** Asks again and again until something holds; says what did not come true. */
export async function until(
  holds: () => Promise<boolean>,
  what: string,
  patienceMs = 5000,
  pauseMs = 25,
): Promise<void> {
  const end = Date.now() + patienceMs;
  while (!(await holds())) {
    if (Date.now() > end) throw new Error(`waited ${patienceMs} ms in vain for ${what}`);
    await new Promise((resolve) => setTimeout(resolve, pauseMs));
  }
}
