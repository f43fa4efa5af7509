/**
 * Starts both listeners and the jobs. With `kept` the database is away: visits are answered from what lies on disk,
 * rows go to the spool, the desk answers *database_away*, and the database is asked for until it is there. `close` is
 * the orderly end: no new connections, what is under way is answered, the writers drain, then the pools close.
 */
import { createServer } from 'node:http';
import type { Logger } from 'pino';
import { makeCaller } from '../notify/outgoing.ts';
import type { Config } from '../config/config.ts';
import { defineModels, openSequelize, type Models } from '../db/models.ts';
import {
  CHECK_CONNECTIONS_MS,
  HEADERS_TIMEOUT_MS,
  MAX_CONNECTIONS,
  MAX_HEADER_BYTES,
  REQUEST_TIMEOUT_MS,
} from '../limits/limits.ts';
import { makeDomainChecker, proofOf } from '../domains/checkDomain.ts';
import { makePageFetcher } from '../pages/fetchPage.ts';
import { makeTestRequests } from '../setup/testRequests.ts';
import { wireSignals } from './wireSignals.ts';
import { makeWalk } from '../setup/walk.ts';
import { buildDeskApp } from './buildDeskApp.ts';
import { startJobs, tellOfDatabase, watchDatabase } from './jobs.ts';
import type { KeptGround } from '../snapshot/keptGround.ts';
import { tellGone } from '../snapshot/runningServers.ts';
import { Places } from '../places/places.ts';
import { closeServer, listen, withPorts } from './listening.ts';
import { repeatEvery, type Repeating } from '../jobs/repeatEvery.ts';
import { answerUnreadable, buildTrackingServer } from './trackingListener.ts';
import { readyDatabase } from './waitForDatabase.ts';
import { writeImpressions } from '../captureStore/writeImpressions.ts';
import { postbackAgain, type SentBefore } from '../intake/postbackAgain.ts';
import { wireFiles } from './wireFiles.ts';
import { bringUp, openWorkings, wireCapture, wireIntake, type Workings } from './wiring.ts';

export { PortTaken } from './listening.ts';

/** Between two looks for a database that was away at the start. */
const LOOK_AGAIN_MS = 1000;

export interface RunningServer {
  models: Models;
  deskPort: number;
  trackingPort: number;
  close: () => Promise<void>;
}

/** What looks at pages and domains. The tracking listener itself may be called by the domain check alone. */
const makeLookers = ({ allowOutgoing, secret }: Config, own: readonly string[], tracking: string) => ({
  fetchPage: makePageFetcher(allowOutgoing, own),
  checkDomain: makeDomainChecker(secret, new Set([...allowOutgoing, tracking])),
  walk: makeWalk(allowOutgoing),
});

export async function startServer(
  config: Config,
  log: Logger,
  webFolder: string,
  kept: KeptGround | null = null,
): Promise<RunningServer> {
  const models = defineModels(openSequelize(config.databaseUrl));
  const w = openWorkings(config, log, kept);
  // What has a visit cap stays closed until the database can say how many are left.
  if (kept) void w.leases.keep(w.live.current);
  else await bringUp(w);
  const places = await Places.open(config.placeFiles, config.placeNotice);
  const capture = wireCapture(w, config, log, places);
  const tracking = buildTrackingServer(
    capture,
    wireIntake(w, config, capture.findPlace, log),
    wireFiles(w, config),
    w.metrics.took,
    (nonce) => proofOf(config.secret, nonce),
    (err) => log.error({ err }, 'tracking request failed'),
  );
  const desk = createServer({
    maxHeaderSize: MAX_HEADER_BYTES,
    headersTimeout: HEADERS_TIMEOUT_MS,
    requestTimeout: REQUEST_TIMEOUT_MS,
    connectionsCheckingInterval: CHECK_CONNECTIONS_MS,
  });
  desk.maxConnections = MAX_CONNECTIONS;
  desk.on('clientError', answerUnreadable);
  const { host, port } = config.tracking;
  const trackingPort = await listen(tracking, host, port, 'TRACHEON_TRACKING_PORT');
  const deskPort = await listen(desk, config.desk.host, config.desk.port, 'TRACHEON_DESK_PORT').catch(
    (error: unknown) => {
      tracking.close();
      throw error;
    },
  );
  const real = withPorts(config, deskPort, trackingPort);
  const own = [real.tracking.origin, real.desk.origin];
  const lookers = makeLookers(config, own, `${host}:${trackingPort}`);
  const { walk } = lookers;
  const signals = wireSignals(w, real, log, { models, ...lookers });
  const deps = {
    ...lookers,
    signals,
    config: real,
    models,
    pool: w.pools.desk,
    news: w.news,
    judge: w.judge,
    judging: w.pools.judging,
    postbackAgain: (deskId: string, of: SentBefore) => postbackAgain(w.pools.judging, deskId, of),
    testRequest: makeTestRequests(new Set([...config.allowOutgoing, `${host}:${trackingPort}`])),
    places,
    cappedOffers: (deskId: string) =>
      [...w.live.current.offers.values()]
        .filter((o) => o.part.deskId === deskId && capture.isCapped(o.part.id))
        .map((o) => o.part.id),
    now: w.now,
  };
  const broken = (deskId: string) => w.live.current.broken.filter((b) => b.deskId === deskId).length;
  desk.on('request', buildDeskApp({ ...deps, broken }, w, log, webFolder));
  const call = makeCaller(config.allowOutgoing, own);
  const ground = { config: real, models, places, call, walk, signals };
  let closing: Promise<void> | null = null;
  const jobs = [watchDatabase(w), tellOfDatabase(w, real, log), ...(kept ? [] : startJobs(w, ground, log))];
  const begin = (): void => void (closing ?? jobs.push(...startJobs(w, ground, log)));
  if (kept) jobs.push(startLater(w, config, log, begin));
  const close = async (): Promise<void> => {
    w.closing = true;
    // Streams never end by themselves; everything else that is being answered is answered.
    w.news.close();
    const stopped = Promise.all(jobs.map((j) => j.stop()));
    await Promise.all([closeServer(tracking), closeServer(desk)]);
    // A source that does not answer is not waited for: its postback is tried again.
    await Promise.race([stopped, new Promise((resolve) => setTimeout(resolve, JOBS_PATIENCE_MS).unref())]);
    await Promise.all([w.visits.close(), w.clicks.close(), w.receipts.close()]);
    if (w.health.ready) {
      await w.unknown.flush().catch(() => undefined);
      await writeImpressions(w.pools.desk, w.impressions).catch(() => undefined);
      await w.unrecorded.flush(w.pools.desk).catch(() => undefined);
      await tellGone(w.pools.desk, w.processName).catch(() => undefined);
    }
    await w.live.close();
    await models.sequelize.close();
    await Promise.all(Object.values(w.pools).map((pool) => pool.end()));
  };
  return { models, deskPort, trackingPort, close: () => (closing ??= close()) };
}

/** Jobs that have not ended by then leave nothing half done: whatever they wrote was one transaction. */
const JOBS_PATIENCE_MS = 3000;

/** Goes on looking until the database is there and brought up; then the jobs begin. */
function startLater(w: Workings, config: Config, log: Logger, begin: () => void): Repeating {
  return repeatEvery(
    LOOK_AGAIN_MS,
    async () => {
      if (w.health.ready) return;
      await readyDatabase(config.databaseUrl, 0);
      await bringUp(w);
      log.warn('the database is there; what waited is loaded');
      begin();
    },
    (err) => log.warn({ why: (err as Error).message }, 'still without the database'),
  );
}
