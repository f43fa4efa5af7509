/**
 * Puts the parts together and listens on both hosts. `close` is the orderly end: no new connections, what is under
 * way is answered, the writers drain, then the pools close.
 */
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { randomBytes } from 'node:crypto';
import type { Logger } from 'pino';
import { monotonicFactory } from 'ulid';
import { makeCaller } from '../callsout/outgoing.ts';
import { sendDue } from '../callsout/sender.ts';
import { parseRanges } from '../capture/addresses.ts';
import type { CaptureDeps } from '../capture/handleVisit.ts';
import { Memory } from '../capture/uniqueness.ts';
import type { Config } from '../config/config.ts';
import { defineModels, openSequelize, type Models } from '../db/models.ts';
import { keepPartitions } from '../db/partitions.ts';
import { openPool } from '../db/pools.ts';
import { commitReceipts, commitVisits } from '../events/commitRows.ts';
import { EventWriter } from '../events/eventWriter.ts';
import type { ReceiptRecord, VisitRecord } from '../events/rows.ts';
import type { IntakeDeps } from '../intake/handleCallIn.ts';
import { judge } from '../intake/judge.ts';
import { unjudgedReceipts } from '../intake/sweeper.ts';
import { NewsDesk } from '../stream/news.ts';
import { buildDeskApp } from './buildDeskApp.ts';
import { openGeo } from './geo.ts';
import { LiveSnapshot } from './liveSnapshot.ts';
import { repeatEvery } from './repeatEvery.ts';
import { currentSalts, warmMemory } from './saltKeeper.ts';
import { buildTrackingServer } from './trackingListener.ts';
import { UnknownKeys } from './unknownKeys.ts';

const SEND_EVERY_MS = 500;
const SWEEP_EVERY_MS = 1000;
const HOUR_MS = 3_600_000;

export interface RunningServer {
  models: Models;
  deskPort: number;
  trackingPort: number;
  close: () => Promise<void>;
}

export class PortTaken extends Error {}

export async function startServer(config: Config, log: Logger, webFolder: string): Promise<RunningServer> {
  const now = (): number => Date.now();
  const capturePool = openPool(config.databaseUrl, 'capture', 4);
  const intakePool = openPool(config.databaseUrl, 'intake', 6);
  const deskPool = openPool(config.databaseUrl, 'desk', 6);
  const models = defineModels(openSequelize(config.databaseUrl));
  await keepPartitions(deskPool, now());

  const news = new NewsDesk(deskPool);
  const live = new LiveSnapshot(
    deskPool,
    config.databaseUrl,
    (p) => news.hear(p),
    (err) => log.warn({ err }, 'cannot listen for changes; polling goes on'),
  );
  await live.start();
  const memory = new Memory(await currentSalts(deskPool, now()));
  await warmMemory(deskPool, memory, now());

  const visits = new EventWriter<VisitRecord>(commitVisits(capturePool));
  const receipts = new EventWriter<ReceiptRecord>(commitReceipts(intakePool));
  const unrecorded = new Map<string, number>();
  const unknown = new UnknownKeys(deskPool);
  const newId = pooledUlid();
  const trusted = parseRanges(config.trustedProxies);
  const judgeOne = (receipt: ReceiptRecord) => judge(intakePool, receipt);

  const capture: CaptureDeps = {
    snapshot: () => live.current,
    writer: visits,
    memory,
    findPlace: await openGeo(),
    trusted,
    secureCookies: config.tracking.origin.startsWith('https:'),
    newId,
    now,
    onRecorded: (v) => news.tell(v.deskId, 'visits'),
    onUnrecorded: (v, err) => {
      unrecorded.set(v.deskId, (unrecorded.get(v.deskId) ?? 0) + 1);
      log.error({ err, visit: v.id, campaign: v.campaignId }, 'visit sent on but not recorded');
    },
    onUnknownKey: (key, country) => unknown.count('campaign', key, country),
  };
  const intake: IntakeDeps = {
    snapshot: () => live.current,
    keep: (r) => receipts.submit(r),
    judge: judgeOne,
    trusted,
    newId,
    now,
    onUnknownKey: (key) => unknown.count('intake', key, ''),
    onKept: (deskId) => news.tell(deskId, 'calls-in'),
    onJudged: (deskId) => news.tell(deskId, 'calls-in', 'booked', 'calls-out'),
    onFailed: (r, err) => log.error({ err, receipt: r.id }, 'call in not kept or not judged'),
  };
  const trouble = (deskId: string) => ({
    unrecorded: unrecorded.get(deskId) ?? 0,
    broken: live.current.broken.filter((b) => b.deskId === deskId).length,
  });
  const tracking = buildTrackingServer(capture, intake, (err) =>
    log.error({ err }, 'tracking request failed'),
  );
  const trackingPort = await listen(
    tracking,
    config.tracking.host,
    config.tracking.port,
    'TRACHEON_TRACKING_PORT',
  );
  const desk = createServer();
  const deskPort = await listen(desk, config.desk.host, config.desk.port, 'TRACHEON_DESK_PORT').catch(
    (error: unknown) => {
      tracking.close();
      throw error;
    },
  );
  const real = withPorts(config, deskPort, trackingPort);
  desk.on(
    'request',
    buildDeskApp(
      { config: real, models, pool: deskPool, news, judge: judgeOne, trouble, now },
      log,
      webFolder,
    ),
  );

  const call = makeCaller(config.allowOutgoing, [real.tracking.origin, real.desk.origin]);
  const onError = (what: string) => (err: unknown) => log.warn({ err }, what);
  const jobs = [
    repeatEvery(
      SEND_EVERY_MS,
      () =>
        sendDue({
          pool: intakePool,
          call,
          random: Math.random,
          now,
          onAttempt: (d) => news.tell(d, 'calls-out'),
        }),
      onError('calls out wait'),
    ),
    repeatEvery(
      SWEEP_EVERY_MS,
      async () => {
        for (const r of await unjudgedReceipts(intakePool)) {
          await judgeOne(r);
          news.tell(r.deskId, 'calls-in', 'booked', 'calls-out');
        }
      },
      onError('judging waits'),
    ),
    repeatEvery(5_000, () => unknown.flush(), onError('unknown keys are counted later')),
    repeatEvery(
      HOUR_MS / 4,
      async () => {
        await keepPartitions(deskPool, now());
        memory.setSalts(await currentSalts(deskPool, now()));
      },
      onError('partitions and salts wait'),
    ),
  ];

  let closing: Promise<void> | null = null;
  const close = async (): Promise<void> => {
    await Promise.all(jobs.map((j) => j.stop()));
    news.close();
    await Promise.all([closeServer(tracking), closeServer(desk)]);
    await Promise.all([visits.close(), receipts.close()]);
    await unknown.flush().catch(() => undefined);
    await live.close();
    await models.sequelize.close();
    await Promise.all([capturePool.end(), intakePool.end(), deskPool.end()]);
  };
  return { models, deskPort, trackingPort, close: () => (closing ??= close()) };
}

/** With port 0 the system chooses; public origins made from the port follow. */
function withPorts(config: Config, deskPort: number, trackingPort: number): Config {
  const at = (origin: string, port: number): string => origin.replace(/:0$/, `:${port}`);
  return Object.freeze({
    ...config,
    desk: { ...config.desk, port: deskPort, origin: at(config.desk.origin, deskPort) },
    tracking: { ...config.tracking, port: trackingPort, origin: at(config.tracking.origin, trackingPort) },
  });
}

function listen(server: Server, host: string, port: number, variable: string): Promise<number> {
  return new Promise((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) =>
      reject(
        error.code === 'EADDRINUSE'
          ? new PortTaken(
              `${host}:${port} is taken by another program. Stop it, or set ${variable} to a free port.`,
            )
          : error.code === 'EADDRNOTAVAIL'
            ? new PortTaken(`${host} is no address of this machine.`)
            : error,
      ),
    );
    server.listen(port, host, () => resolve((server.address() as AddressInfo).port));
  });
}

/** Idle keep-alive connections are closed at once; what is being answered is answered. */
function closeServer(server: Server): Promise<void> {
  return new Promise((resolve) => {
    server.close(() => resolve());
    server.closeIdleConnections();
    setTimeout(() => server.closeAllConnections(), 3000).unref();
  });
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
