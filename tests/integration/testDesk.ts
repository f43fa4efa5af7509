/** What every test does on a desk, wherever its server runs: clients, parts, visits, postbacks, and waiting. */
import type pg from 'pg';
import type {
  ConversionRow,
  Page,
  PartKind,
  PartRecord,
  PostbackInRow,
  Role,
  VisitRow,
} from '@tracheon/core/contract';
import type { ApiClient } from './apiClient.ts';
import { sampleParts, type Sample } from './sampleParts.ts';

export const PHONE =
  'Mozilla/5.0 (Linux; Android 15; Pixel 8) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Mobile Safari/537.36';

/** Signs sessions and visits; a second server beside the first needs the same. */
export const SECRET = 'only for tests, and longer than thirty-two';
export interface SharedServer {
  desk: string;
  tracking: string;
  partnerPage: string;
  databaseUrl: string;
  /** `host:port` pairs that the server may reach though they are private. */
  partners: string[];
}

export interface TestDesk {
  pool: pg.Pool;
  owner: ApiClient;
  ownerEmail: string;
  deskId: string;
  isSteady: () => boolean;
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
  postbacksIn: () => Promise<PostbackInRow[]>;
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

/** What a desk is made of that differs from server to server. */
export interface DeskBase {
  owner: ApiClient;
  ownerEmail: string;
  deskId: string;
  tracking: string;
  pool: pg.Pool;
  /** Address that visits and probes come from unless a test says otherwise; empty: the real one. */
  address: string;
  /** Its database is not cut now: a visit is waited for until it is stored, also when it waited on disk for a moment. */
  isSteady: () => boolean;
  member: (role: Role) => Promise<ApiClient>;
  close: () => Promise<void>;
}

export function deskAt(base: DeskBase): TestDesk {
  const { owner, tracking } = base;
  const forwarded: Record<string, string> = base.address === '' ? {} : { 'X-Forwarded-For': base.address };
  const desk: TestDesk = {
    ...base,
    make: async (kind, body) => {
      const made = await owner.post<never>(`/parts/${kind}`, body);
      if (made.status !== 201) throw new Error(`${kind}: ${made.status} ${JSON.stringify(made.body)}`);
      return made.body;
    },
    chain: (more = {}) => makeChain(desk, more),
    visit: (path, headers = {}, method = 'GET') =>
      fetch(tracking + path, {
        method,
        redirect: 'manual',
        headers: { 'User-Agent': PHONE, ...(method === 'HEAD' ? forwarded : {}), ...headers },
      }),
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
      const before = await lastReceipt(base);
      const answer = await desk.call(key, query, init);
      const said = { status: answer.status, ...answer.json() };
      if (said.outcome !== 'queued') return said;
      // On a busy machine it may wait on disk first: it is not there yet, and what is newest is another one.
      const kept = async () => (await desk.postbacksIn()).filter((c) => c.id > before).at(-1);
      await until(async () => ((await kept())?.outcome ?? 'queued') !== 'queued', 'the verdict');
      const { outcome, sentence } = (await kept())!;
      return { status: answer.status, outcome, reason: sentence };
    },
    list: async <R>(path: string) => {
      const { status, body } = await owner.get<Page<R>>(path);
      if (status !== 200) throw new Error(`${path} answered ${status}: ${JSON.stringify(body)}`);
      return body.rows;
    },
    visits: () => desk.list<VisitRow>('/visits?limit=200'),
    postbacksIn: () => desk.list<PostbackInRow>('/postbacks-in?limit=200'),
    booked: () => desk.list<ConversionRow>('/conversions?limit=200'),
  };
  return desk;
}

async function isStored(
  { pool, deskId }: Pick<DeskBase, 'pool' | 'deskId'>,
  clickId: string,
): Promise<boolean> {
  // Refused rows are put aside; those are written, too.
  const { rowCount } = await pool.query(
    `SELECT 1 FROM visits WHERE desk_id = $1 AND id = $2 UNION ALL SELECT 1 FROM quarantine WHERE id = $2`,
    [deskId, clickId],
  );
  return rowCount === 1;
}

async function lastReceipt({ pool, deskId }: DeskBase): Promise<string> {
  const { rows } = await pool.query<{ id: string }>('SELECT max(id) AS id FROM receipts WHERE desk_id = $1', [
    deskId,
  ]);
  return rows[0]?.id ?? '';
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
      if (desk.isSteady()) await until(() => isStored(desk, found[0]), 'the visit to be stored');
      return found[0];
    },
  };
}
let serial = 0;

/** A change is live within a second; asking is by HEAD, which leaves no mark. */
export async function untilLive(desk: TestDesk, key: string): Promise<void> {
  await until(
    async () => (await desk.visit(`/v/${key}`, {}, 'HEAD')).status !== 404,
    'the campaign to be live',
    60_000,
    // A key that is not live yet counts as an unknown one, and those are limited by the minute.
    100,
  );
}

const LONGEST_PAUSE_MS = 200;

/** Asks again and again until something holds; an answer that fails is not yet one. Says what did not come true, and the last failure. */
export async function until(
  holds: () => Promise<boolean>,
  what: string,
  patienceMs = 180_000,
  pauseMs = 25,
): Promise<void> {
  const end = Date.now() + patienceMs;
  let pause = pauseMs;
  let failure: unknown;
  const asked = (): Promise<boolean> =>
    holds().catch((error: unknown) => {
      failure = error;
      return false;
    });
  while (!(await asked())) {
    if (Date.now() > end) throw new Error(`waited ${patienceMs} ms in vain for ${what}`, { cause: failure });
    await new Promise((resolve) => setTimeout(resolve, pause));
    // Who waits long asks ever more rarely: asking is work, and delays what is waited for.
    pause = Math.min(Math.max(pauseMs, LONGEST_PAUSE_MS), pause * 1.4);
  }
}

/** What is told to sources from now on waits for a day: a test compares what is to be told, not the telling. */
export const holdPostbacks = (pool: pg.Pool): Promise<unknown> =>
  pool.query(`CREATE FUNCTION hold_postbacks() RETURNS trigger LANGUAGE plpgsql AS
      $$ BEGIN NEW.next_try_at = now() + interval '1 day'; RETURN NEW; END $$;
    CREATE TRIGGER hold_postbacks BEFORE INSERT ON outbox FOR EACH ROW EXECUTE FUNCTION hold_postbacks()`);
