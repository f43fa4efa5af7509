/** What the two listeners and the jobs are made of, put together once at the start. */
import type { Pool } from 'pg';
import type { Logger } from 'pino';
import { parseRanges } from '../addresses/addresses.ts';
import type { ButtonDeps } from '../capture/handleButton.ts';
import type { CaptureDeps } from '../capture/handleVisit.ts';
import { Handles, recentVisits } from '../capture/visitHandles.ts';
import { agentCache } from '../capture/visitor.ts';
import { Impressions, type ImpressionDeps } from '../capture/impressions.ts';
import { TestMarks } from '../capture/testMarks.ts';
import { Memory } from '../capture/uniqueness.ts';
import type { Config } from '../config/config.ts';
import { keepPartitions } from '../db/partitions.ts';
import { openPipelinedPool, openPool, SILENCE_MS, TURN_TIMEOUT_MS } from '../db/pools.ts';
import type { DurableWriter, Kept } from '../events/durableWriter.ts';
import { Health, type RowKind } from '../health/health.ts';
import { pooledUlid } from '../db/pooledUlid.ts';
import { makeMetrics, type Metrics } from '../health/metrics.ts';
import { NumbersClient } from '../numbers/numbersClient.ts';
import { numbersMetrics } from '../numbers/numbersMetrics.ts';
import { Unrecorded } from '../health/unrecorded.ts';
import type { IntakeDeps } from '../intake/handlePostbackIn.ts';
import type { Judges } from '../intake/judge.ts';
import { JudgeQueue } from '../intake/judgeQueue.ts';
import { loadVisit } from '../intake/loadVisits.ts';
import { takePagePixels } from '../notify/pagePixels.ts';
import { tokenVisit } from '@tracheon/core/visits';
import { FailureThrottle } from '../limits/failureThrottle.ts';
import { UNKNOWN_KEYS_PER_MINUTE } from '../limits/limits.ts';
import { NEWS_CHANNEL, NewsDesk } from '../stream/news.ts';
import { CapKeeper } from '../captureStore/capKeeper.ts';
import { VisitLeases } from '../captureStore/visitLeases.ts';
import { ConvertedClicks } from '../captureStore/convertedClicks.ts';
import { OddsKeeper } from '../odds/oddsKeeper.ts';
import { openEventWriters, type EventWriters } from '../events/eventWriters.ts';
import type { FindPlace } from '../capture/visitor.ts';
import { OncePerMinute } from '../limits/oncePerMinute.ts';
import type { Places } from '../places/places.ts';
import { keepDesk, keepSalts, type KeptGround, type SaltsByDay } from '../snapshot/keptGround.ts';
import { LiveSnapshot } from '../snapshot/liveSnapshot.ts';
import { offersOfOldPairing } from '../snapshot/oldPairing.ts';
import { processName, tellVersions } from '../snapshot/runningServers.ts';
import type { DeskConfiguration } from '../snapshot/compiled.ts';
import { currentSalts, saltsAt, saltsByDay, warmMemory } from '../captureStore/saltKeeper.ts';
import { UnknownKeys } from '../captureStore/unknownKeys.ts';

/** What writes events gives a silent connection up sooner: rows wait on disk meanwhile. */
const EVENT_SILENCE_MS = 5000;

/** More would wait for the processors of the database, not for its answers. */
const JUDGEMENTS_AT_ONCE = 10;

export interface Workings extends EventWriters {
  pools: { capture: Pool; intake: Pool; judging: Pool; desk: Pool };
  health: Health;
  metrics: Metrics;
  news: NewsDesk;
  live: LiveSnapshot;
  memory: Memory;
  unknown: UnknownKeys;
  strangers: FailureThrottle;
  unrecorded: Unrecorded;
  caps: CapKeeper;
  leases: VisitLeases;
  converted: ConvertedClicks;
  odds: OddsKeeper;
  impressions: Impressions;
  judge: Judges['judge'];
  /** Keeps on disk what a start without the database needs. */
  ground: GroundKeeper;
  /** By which this process says what it answers from. */
  processName: string;
  newId: (nowMs: number) => string;
  now: () => number;
  /** Asks for a run of scheduled work before its time. Nothing is asked before the jobs have begun: they begin with what is due. */
  runSoon: (job: string) => void;
  /** True once the end has begun: long jobs stop at their next step. */
  closing: boolean;
}

/** Nothing here waits for the database: `kept` is what visits are answered from until `bringUp` has reached it. */
export function openWorkings(config: Config, log: Logger, kept: KeptGround | null): Workings {
  const now = (): number => Date.now();
  // Capture, intake and the desk have connections of their own, so that a slow report never makes a visitor wait.
  const pools = {
    capture: openPool(config.databaseUrl, 'capture', 4, EVENT_SILENCE_MS),
    intake: openPool(config.databaseUrl, 'intake', 6, EVENT_SILENCE_MS),
    judging: openPipelinedPool(config.databaseUrl, 'judging', JUDGEMENTS_AT_ONCE, EVENT_SILENCE_MS),
    desk: openPool(config.databaseUrl, 'desk', 6, SILENCE_MS, { connectionTimeoutMillis: TURN_TIMEOUT_MS }),
  };
  const converted = new ConvertedClicks(pools.desk, now);
  const news = new NewsDesk(pools.desk, (topics) => {
    if (topics.includes('conversions'))
      void converted
        .load()
        .catch((err: unknown) => loading.error('who has converted is as was known before', { err }));
  });
  const health = new Health((state) => news.tellHealth(state));
  const ground = groundKeeper(config.dataFolder, log);
  const loading = new OncePerMinute(log, now);
  const tell = (): void =>
    void tellVersions(pools.desk, name, live).catch((err: unknown) =>
      log.warn({ err }, 'the versions of this server could not be published'),
    );
  const name = processName();
  const live = new LiveSnapshot(pools.desk, config.databaseUrl, {
    notices: { [NEWS_CHANNEL]: (payload) => news.hear(payload) },
    onListening: () => news.mayHaveMissed(),
    onTrouble: (err) => log.warn({ err }, 'cannot listen for changes; polling goes on'),
    onUnloadable: (desk, err) => {
      loading.error('the configuration of a desk cannot be loaded; the last one goes on', { err, desk });
      tell();
    },
    onLoaded: (desk) => {
      void ground.desk(desk);
      tell();
    },
  });
  if (kept) live.useKept(kept.desks);
  const queue = new JudgeQueue(pools.judging);
  const numbers = new NumbersClient(config.dataFolder);
  const writers = openEventWriters(
    pools,
    config.dataFolder,
    () => health.ready,
    config.visitorPatienceMs,
    log,
  );
  return {
    pools,
    health,
    metrics: makeMetrics({
      health,
      snapshotVersion: () => [...live.current.versions.values()].reduce((sum, n) => sum + n, 0),
      campaigns: () => live.current.campaigns.size,
      brokenCampaigns: () => live.current.broken.length,
      rowsInHand: () => writers.visits.inHand + writers.clicks.inHand + writers.receipts.inHand,
      spoolFiles: writers.spoolFiles,
      openStreams: () => news.openStreams,
      agentCache,
      addOthers: (registry) => numbersMetrics(registry, () => numbers.standing()),
    }),
    news,
    live,
    memory: new Memory(saltsAt(now(), kept?.salts ?? {})),
    ...writers,
    unknown: new UnknownKeys(pools.desk),
    strangers: new FailureThrottle(UNKNOWN_KEYS_PER_MINUTE),
    unrecorded: new Unrecorded(),
    caps: new CapKeeper(pools.desk, now),
    leases: new VisitLeases(pools.desk, now, (err) =>
      loading.error('visit caps go by what was allowed before', { err }),
    ),
    converted,
    odds: new OddsKeeper(pools.desk),
    impressions: new Impressions(),
    judge: (receipt, options) => queue.judge(receipt, options),
    ground,
    processName: name,
    newId: pooledUlid(),
    now,
    runSoon: () => undefined,
    closing: false,
  };
}

/** What needs the database, once it is migrated: partitions, the configuration as it stands, salts, who has been seen. */
export async function bringUp(w: Workings): Promise<void> {
  const { desk } = w.pools;
  await keepPartitions(desk, w.now());
  const salts = await currentSalts(desk, w.now());
  w.memory.setSalts(salts);
  await warmMemory(desk, w.memory, w.now());
  await w.converted.load();
  await w.live.start();
  // Before the first visitor: an offer at its cap must not be open for a moment.
  await Promise.all([w.caps.count(w.live.current), w.leases.keep(w.live.current)]);
  await w.ground.salts(saltsByDay(w.now(), salts));
  w.health.ready = true;
  w.health.databaseAnswered();
}

interface GroundKeeper {
  desk: (desk: DeskConfiguration) => Promise<void>;
  salts: (salts: SaltsByDay) => Promise<void>;
}

/** One write after the other; a failure is logged and costs only the next start without the database. */
function groundKeeper(folder: string, log: Logger): GroundKeeper {
  let last: Promise<void> = Promise.resolve();
  const next = (write: () => Promise<void>): Promise<void> =>
    (last = last
      .then(write)
      .catch((err: unknown) => log.error({ err }, 'the configuration could not be kept on disk')));
  return {
    desk: (desk) => next(() => keepDesk(folder, desk)),
    salts: (salts) => next(() => keepSalts(folder, salts)),
  };
}

/** Counts what became of each row, beside keeping it. */
function counting<T>(
  w: Workings,
  kind: RowKind,
  writer: DurableWriter<T>,
  fault: Config['fault'],
): DurableWriter<T>['keep'] {
  const keep: DurableWriter<T>['keep'] = (row) =>
    writer.keep(row).then(
      (kept) => {
        w.health.row(kind, kept);
        return kept;
      },
      (error: unknown) => {
        w.health.row(kind, 'unrecorded');
        throw error;
      },
    );
  if (fault !== 'answer_before_commit') return keep;
  // The very mistake that all of this is there to prevent: only the crash run switches it on, to see that it is found.
  return (row) => {
    setTimeout(() => void keep(row).catch(() => undefined), 50);
    return Promise.resolve('committed');
  };
}

const isSecure = (config: Config): boolean => config.tracking.origin.startsWith('https:');

/** The calls of one request. */
function countingTogether(w: Workings, fault: Config['fault']): IntakeDeps['keep'] {
  const keep = counting(w, 'postback', w.receipts, fault);
  return async (receipts) => {
    if (receipts.length === 1) return [await keep(receipts[0]!)];
    const count = (kept: Kept | 'unrecorded'): void => w.health.row('postback', kept);
    try {
      const kept = await w.receipts.keepTogether(receipts);
      kept.forEach(count);
      return kept;
    } catch (error) {
      receipts.forEach(() => count('unrecorded'));
      throw error;
    }
  };
}

export function wireCapture(
  w: Workings,
  config: Config,
  log: Logger,
  places: Places,
): CaptureDeps & ButtonDeps & ImpressionDeps {
  const often = new OncePerMinute(log, w.now);
  const secureCookies = isSecure(config);
  return {
    snapshot: () => w.live.current,
    keep: counting(w, 'visit', w.visits, config.fault),
    memory: w.memory,
    findPlace: places.find,
    trusted: parseRanges(config.trustedProxies),
    secureCookies,
    recent: recentVisits(),
    impressions: w.impressions,
    isCapped: (offerId, partnerId) => w.caps.isReached(offerId, partnerId) || w.leases.isUsedUp(offerId),
    sentTo: w.leases.sent,
    oddsOf: w.odds.of,
    hasConverted: w.converted.has,
    handles: new Handles(config.secret, secureCookies),
    testMarks: new TestMarks(config.secret),
    findVisit: visitFinder(w),
    lookUpPatienceMs: config.visitorPatienceMs / 2,
    findOffers: offersFinder(w),
    keepClick: counting(w, 'button', w.clicks, config.fault),
    newId: w.newId,
    now: w.now,
    random: Math.random,
    onRecorded: (v) => w.news.tell(v.deskId, 'visits'),
    onUnrecorded: (v, err) => {
      w.unrecorded.count('visit', v.deskId, v.campaignId, v.atMs);
      often.error('visit sent on but not recorded', { err, visit: v.id, campaign: v.campaignId });
    },
    strangers: w.strangers,
    onUnknownKey: (key, host, country) => w.unknown.count('campaign', key, host, country),
    onUnknownButton: (key, host, country) => w.unknown.count('button', key, host, country),
    onClicked: (c) => w.news.tell(c.deskId, 'visits'),
    onClickUnrecorded: (c, err) => {
      w.unrecorded.count('button', c.deskId, c.landingId, c.atMs);
      often.error('button click sent on but not recorded', { err, visit: c.visitId, landing: c.landingId });
    },
  };
}

/** Nobody waits for a database that is known to be away. */
function visitFinder({ health, pools }: Workings): ButtonDeps['findVisit'] {
  return async (deskId, clickId) => {
    if (health.news.database === 'away') throw new Error('the database is away');
    const visit = await loadVisit(pools.capture, deskId, clickId);
    return visit && tokenVisit(visit);
  };
}

function offersFinder({ health, pools }: Workings): ButtonDeps['findOffers'] {
  return async (visit) => {
    if (health.news.database === 'away') throw new Error('the database is away');
    return offersOfOldPairing(pools.capture, visit);
  };
}

export function wireIntake(w: Workings, config: Config, findPlace: FindPlace, log: Logger): IntakeDeps {
  const often = new OncePerMinute(log, w.now);
  return {
    findPlace,
    secret: config.secret,
    snapshot: () => w.live.current,
    keep: countingTogether(w, config.fault),
    handles: new Handles(config.secret, isSecure(config)),
    judge: w.judge,
    verdictPatienceMs: config.verdictPatienceMs,
    trusted: parseRanges(config.trustedProxies),
    testMarks: new TestMarks(config.secret),
    newId: w.newId,
    now: w.now,
    strangers: w.strangers,
    takePagePixels: (deskId, ids) => takePagePixels(w.pools.intake, deskId, ids),
    onUnknownKey: (key, host, country) => w.unknown.count('intake', key, host, country),
    onKept: (deskId) => w.news.tell(deskId, 'postbacks-in'),
    onJudged: (deskId) => w.news.tell(deskId, 'postbacks-in', 'conversions', 'postbacks-out'),
    onNotKept: (r, err) => {
      w.unrecorded.count('postback', r.deskId, r.networkId, r.receivedMs);
      often.error('postback not kept', { err, receipt: r.id });
    },
    onNotJudged: (r, err) => often.error('postback not processed yet', { err, receipt: r.id }),
  };
}
