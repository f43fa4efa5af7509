/** What the two listeners and the jobs are made of, put together once at the start. */
import { randomBytes } from 'node:crypto';
import { join } from 'node:path';
import type { Pool } from 'pg';
import type { Logger } from 'pino';
import { monotonicFactory } from 'ulid';
import type { Call } from '../callsout/outgoing.ts';
import { sendDue } from '../callsout/sender.ts';
import { parseRanges } from '../capture/addresses.ts';
import type { CaptureDeps } from '../capture/handleVisit.ts';
import { Memory } from '../capture/uniqueness.ts';
import type { Config } from '../config/config.ts';
import { keepPartitions } from '../db/partitions.ts';
import { openPool } from '../db/pools.ts';
import {
  commitReceipts,
  commitVisits,
  insertReceiptRows,
  insertVisitRows,
  quarantineRow,
} from '../events/commitRows.ts';
import { DurableWriter } from '../events/durableWriter.ts';
import { EventWriter } from '../events/eventWriter.ts';
import {
  decodeReceipt,
  decodeVisit,
  encodeReceipt,
  encodeVisit,
  type ReceiptRecord,
  type VisitRecord,
} from '../events/rows.ts';
import { Spool } from '../events/spool.ts';
import { realDisk } from '../events/spoolDisk.ts';
import { loadSpool, type LoadReport } from '../events/spoolLoader.ts';
import type { IntakeDeps } from '../intake/handleCallIn.ts';
import { judge, type Judgement } from '../intake/judge.ts';
import { unjudgedReceipts, unknownClicksDue } from '../intake/sweeper.ts';
import { NewsDesk } from '../stream/news.ts';
import { openGeo } from './geo.ts';
import { isInstanceAlive, thisInstance } from './instance.ts';
import { LiveSnapshot } from './liveSnapshot.ts';
import { repeatEvery, type Repeating } from './repeatEvery.ts';
import { currentSalts, warmMemory } from './saltKeeper.ts';
import { UnknownKeys } from './unknownKeys.ts';

const SEND_EVERY_MS = 500;
const SWEEP_EVERY_MS = 1000;
const LOAD_SPOOL_EVERY_MS = 1000;
const ASK_AGAIN_EVERY_MS = 10_000;
const COUNT_KEYS_EVERY_MS = 5000;
const KEEP_HOUSE_EVERY_MS = 900_000;

export interface Workings {
  pools: { capture: Pool; intake: Pool; desk: Pool };
  news: NewsDesk;
  live: LiveSnapshot;
  memory: Memory;
  visits: DurableWriter<VisitRecord>;
  receipts: DurableWriter<ReceiptRecord>;
  /** Brings what lies in the spool into the database. */
  loadSpools: () => Promise<LoadReport>;
  unknown: UnknownKeys;
  /** Visits sent on but not recorded since the start, by desk. */
  unrecorded: Map<string, number>;
  judge: (receipt: ReceiptRecord) => Promise<Judgement>;
  newId: (nowMs: number) => string;
  now: () => number;
}

export async function openWorkings(config: Config, log: Logger): Promise<Workings> {
  const now = (): number => Date.now();
  // Capture, intake and the desk have connections of their own, so that a slow report never makes a visitor wait.
  const pools = {
    capture: openPool(config.databaseUrl, 'capture', 4),
    intake: openPool(config.databaseUrl, 'intake', 6),
    desk: openPool(config.databaseUrl, 'desk', 6),
  };
  await keepPartitions(pools.desk, now());
  const news = new NewsDesk(pools.desk);
  const live = new LiveSnapshot(
    pools.desk,
    config.databaseUrl,
    (payload) => news.hear(payload),
    (err) => log.warn({ err }, 'cannot listen for changes; polling goes on'),
  );
  await live.start();
  const memory = new Memory(await currentSalts(pools.desk, now()));
  await warmMemory(pools.desk, memory, now());
  return {
    pools,
    news,
    live,
    memory,
    ...openWriters(pools, config),
    unknown: new UnknownKeys(pools.desk),
    unrecorded: new Map(),
    judge: (receipt) => judge(pools.intake, receipt),
    newId: pooledUlid(),
    now,
  };
}

/** The two event writers, each with its spool in the data folder. */
function openWriters(
  pools: Workings['pools'],
  config: Config,
): Pick<Workings, 'visits' | 'receipts' | 'loadSpools'> {
  const disk = realDisk(join(config.dataFolder, 'spool'));
  const instance = thisInstance();
  const visitSpool = new Spool<VisitRecord>(disk, 'visits', instance, encodeVisit, isInstanceAlive);
  const receiptSpool = new Spool<ReceiptRecord>(disk, 'receipts', instance, encodeReceipt, isInstanceAlive);
  const visits = new DurableWriter(new EventWriter(commitVisits(pools.capture)), visitSpool, (row, why) =>
    quarantineRow(pools.desk, 'visit', row, why),
  );
  const receipts = new DurableWriter(
    new EventWriter(commitReceipts(pools.intake)),
    receiptSpool,
    (row, why) => quarantineRow(pools.desk, 'receipt', row, why),
  );
  const loadSpools = async (): Promise<LoadReport> => {
    const visited = await loadSpool(pools.desk, {
      spool: visitSpool,
      disk,
      decode: decodeVisit,
      insert: insertVisitRows,
      quarantine: (client, row, why) => quarantineRow(client, 'visit', row, why),
      timeOf: (row) => row.atMs,
    });
    const received = await loadSpool(pools.desk, {
      spool: receiptSpool,
      disk,
      decode: decodeReceipt,
      insert: insertReceiptRows,
      quarantine: (client, row, why) => quarantineRow(client, 'receipt', row, why),
      timeOf: (row) => row.receivedMs,
    });
    return {
      files: visited.files + received.files,
      rows: visited.rows + received.rows,
      tornBytes: visited.tornBytes + received.tornBytes,
    };
  };
  return { visits, receipts, loadSpools };
}

export async function wireCapture(w: Workings, config: Config, log: Logger): Promise<CaptureDeps> {
  return {
    snapshot: () => w.live.current,
    keep: (v) => w.visits.keep(v),
    memory: w.memory,
    findPlace: await openGeo(),
    trusted: parseRanges(config.trustedProxies),
    secureCookies: config.tracking.origin.startsWith('https:'),
    newId: w.newId,
    now: w.now,
    onRecorded: (v) => w.news.tell(v.deskId, 'visits'),
    onUnrecorded: (v, err) => {
      w.unrecorded.set(v.deskId, (w.unrecorded.get(v.deskId) ?? 0) + 1);
      log.error({ err, visit: v.id, campaign: v.campaignId }, 'visit sent on but not recorded');
    },
    onUnknownKey: (key, country) => w.unknown.count('campaign', key, country),
  };
}

export function wireIntake(w: Workings, config: Config, log: Logger): IntakeDeps {
  return {
    snapshot: () => w.live.current,
    keep: (r) => w.receipts.keep(r),
    judge: w.judge,
    trusted: parseRanges(config.trustedProxies),
    newId: w.newId,
    now: w.now,
    onUnknownKey: (key) => w.unknown.count('intake', key, ''),
    onKept: (deskId) => w.news.tell(deskId, 'calls-in'),
    onJudged: (deskId) => w.news.tell(deskId, 'calls-in', 'booked', 'calls-out'),
    onFailed: (r, err) => log.error({ err, receipt: r.id }, 'call in not kept or not judged'),
  };
}

/** Each goes on after a failure; what failed is tried again at its next turn. */
export function startJobs(w: Workings, call: Call, log: Logger): Repeating[] {
  const onError = (what: string) => (err: unknown) => log.warn({ err }, what);
  const { intake, desk } = w.pools;
  const sender = { pool: intake, call, random: Math.random, now: w.now };
  const send = () => sendDue({ ...sender, onAttempt: (deskId) => w.news.tell(deskId, 'calls-out') });
  const judgeAll = async (receipts: ReceiptRecord[]): Promise<void> => {
    for (const receipt of receipts) {
      // One that cannot be judged must not keep those behind it waiting.
      await w.judge(receipt).catch((err: unknown) => log.error({ err, receipt: receipt.id }, 'not judged'));
      w.news.tell(receipt.deskId, 'calls-in', 'booked', 'calls-out');
    }
  };
  const sweep = async (): Promise<void> => judgeAll(await unjudgedReceipts(intake));
  const askAgain = async (): Promise<void> => judgeAll(await unknownClicksDue(intake, false));
  const load = async (): Promise<void> => {
    const { files, rows, tornBytes } = await w.loadSpools();
    if (tornBytes > 0) log.error({ tornBytes }, 'a spool file has an unreadable end; it is kept as *.torn');
    if (files === 0) return;
    log.warn({ rows }, 'rows that waited in the spool are in the database');
    await judgeAll(await unknownClicksDue(intake, true));
  };
  const keepHouse = async (): Promise<void> => {
    await keepPartitions(desk, w.now());
    w.memory.setSalts(await currentSalts(desk, w.now()));
  };
  return [
    repeatEvery(SEND_EVERY_MS, send, onError('calls out wait')),
    repeatEvery(LOAD_SPOOL_EVERY_MS, load, onError('the spool waits')),
    repeatEvery(ASK_AGAIN_EVERY_MS, askAgain, onError('unknown clicks wait')),
    repeatEvery(SWEEP_EVERY_MS, sweep, onError('judging waits')),
    repeatEvery(COUNT_KEYS_EVERY_MS, () => w.unknown.flush(), onError('unknown keys are counted later')),
    repeatEvery(KEEP_HOUSE_EVERY_MS, keepHouse, onError('partitions and salts wait')),
  ];
}

/** ulid() asks the system for each character's randomness; a pool of random bytes makes it fast. */
function pooledUlid(): (nowMs: number) => string {
  let pool = Buffer.alloc(0);
  let at = 0;
  const next = monotonicFactory(() => {
    if (at >= pool.length) [pool, at] = [randomBytes(4096), 0];
    return pool[at++]! / 256;
  });
  return (nowMs) => next(nowMs);
}
