/**
 * Starts both listeners and the jobs. With `kept` the database is away: visits are answered from what lies on disk,
 * rows go to the spool, the desk answers *database_away*, and the database is asked for until it is there. `close` is
 * the orderly end: no new connections, what is under way is answered, the writers drain, then the pools close.
 */
import type { Server } from 'node:http';
import type { Logger } from 'pino';
import { makeCaller } from '../notify/outgoing.ts';
import { ConfigError, type Config } from '../config/config.ts';
import { defineModels, openSequelize, type Models } from '../db/models.ts';
import { makeDomainChecker, proofOf } from '../domains/checkDomain.ts';
import { domainsAt } from '../domains/domainStore.ts';
import { makePageFetcher } from '../pages/fetchPage.ts';
import { makeTestRequests } from '../setup/testRequests.ts';
import { wireSignals } from './wireSignals.ts';
import { makeWalk } from '../setup/walk.ts';
import { buildDeskApp } from './buildDeskApp.ts';
import { buildPartnerApp } from './buildPartnerApp.ts';
import { startJobs, tellOfDatabase, watchDatabase } from './jobs.ts';
import type { KeptGround } from '../snapshot/keptGround.ts';
import { tellGone } from '../snapshot/runningServers.ts';
import { Places } from '../places/places.ts';
import { closeServer, listen, withPorts } from './listening.ts';
import { repeatEvery, type Repeating } from '../jobs/repeatEvery.ts';
import { buildTrackingServer } from './trackingListener.ts';
import { readyDatabase } from './waitForDatabase.ts';
import { writeImpressions } from '../captureStore/writeImpressions.ts';
import { postbackAgain, type SentBefore } from '../intake/postbackAgain.ts';
import { wireFiles } from './wireFiles.ts';
import { pageServer } from './webApp.ts';
import { bringUp, openWorkings, wireCapture, wireIntake, type Workings } from './wiring.ts';

export { PortTaken } from './listening.ts';

/** Between two looks for a database that was away at the start. */
const LOOK_AGAIN_MS = 1000;

export interface RunningServer {
  models: Models;
  deskPort: number;
  trackingPort: number;
  /** null: partners have no page. */
  partnersPort: number | null;
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
  else {
    await refuseLinksAtPartners(models, config);
    await bringUp(w);
  }
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
  const desk = pageServer();
  const partners = config.partners.isOn ? pageServer() : null;
  const { ports, host } = await listenAll(config, { tracking, desk, partners });
  const trackingPort = ports.tracking;
  const real = withPorts(config, ports);
  const own = [real.tracking.origin, real.desk.origin, real.partners.origin];
  const call = makeCaller(config.allowOutgoing, own);
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
    runSoon: (job: string) => w.runSoon(job),
  };
  const broken = (deskId: string) => w.live.current.broken.filter((b) => b.deskId === deskId).length;
  desk.on('request', buildDeskApp({ ...deps, broken }, w, log, webFolder));
  partners?.on('request', buildPartnerApp({ ...deps, broken, call }, w, log, webFolder));
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
    await Promise.all([tracking, desk, partners].map((server) => server && closeServer(server)));
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
  return {
    models,
    deskPort: ports.desk,
    trackingPort,
    partnersPort: partners && ports.partners,
    close: () => (closing ??= close()),
  };
}

/** A link at the host of the partner page would share its cookies. */
async function refuseLinksAtPartners(models: Models, { partners }: Config): Promise<void> {
  const { hostname } = new URL(partners.origin);
  const [link] = partners.isOn ? await domainsAt(models, hostname) : [];
  if (link)
    throw new ConfigError(
      `The tracking domain ${link} and the partner page are both at ${hostname}. Cookies ignore ports, so the partner page needs a host of its own: set TRACHEON_PARTNERS_HOST or TRACHEON_PARTNERS_ORIGIN, or TRACHEON_PARTNERS=off.`,
    );
}

interface Listeners {
  tracking: Server;
  desk: Server;
  partners: Server | null;
}

/** All of them, or none. */
async function listenAll(
  config: Config,
  { tracking, desk, partners }: Listeners,
): Promise<{ ports: Record<'desk' | 'tracking' | 'partners', number>; host: string }> {
  const { host, port } = config.tracking;
  const ports = {
    tracking: await listen(tracking, host, port, 'TRACHEON_TRACKING_PORT'),
    desk: 0,
    partners: 0,
  };
  try {
    ports.desk = await listen(desk, config.desk.host, config.desk.port, 'TRACHEON_DESK_PORT');
    const at = config.partners;
    if (partners) ports.partners = await listen(partners, at.host, at.port, 'TRACHEON_PARTNERS_PORT');
  } catch (error) {
    tracking.close();
    desk.close();
    throw error;
  }
  return { ports, host };
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
