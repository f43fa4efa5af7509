/** What goes on beside the requests, put together from the features' jobs. What failed is tried again at its next turn. */
import type { Logger } from 'pino';
import { feedJob, feedScheduled, judgeInParts } from '../feeds/feedJobs.ts';
import { captureJobs } from '../captureStore/captureJobs.ts';
import type { Config } from '../config/config.ts';
import type { Models } from '../db/models.ts';
import { databaseJobs, partitionJob } from '../db/databaseJobs.ts';
import { plansJob } from '../db/plans.ts';
import { intakeJobs } from '../intake/intakeJobs.ts';
import { lookAtWaitingOffers } from '../looks/waitingOffers.ts';
import type { Walk } from '../setup/walk.ts';
import { dailyRates } from '../rates/ecbRates.ts';
import { startJob, type RepeatedJob, type ScheduledJob } from '../jobs/job.ts';
import { repeatEvery, type Repeating } from '../jobs/repeatEvery.ts';
import { openTimetable } from '../jobs/timetable.ts';
import { OncePerMinute } from '../limits/oncePerMinute.ts';
import { carryNext } from '../imports/carriedRun.ts';
import { nextFileRows } from '../imports/importRun.ts';
import { compareRows } from '../statements/compareRun.ts';
import { GiveWay } from '../repairs/giveWay.ts';
import { batchJob } from '../repairs/batchRuns.ts';
import { lostClaimsJob } from '../repairs/claim.ts';
import { pagePixelJob } from '../notify/pagePixels.ts';
import { relayCleanup, relayJob } from '../notify/relay.ts';
import { makeMailer } from '../notices/mailer.ts';
import { sendNoticesJob } from '../notices/sendNotices.ts';
import { notifyJobs } from '../notify/notifyJobs.ts';
import { sourceHeaders } from '../notify/sourceHeaders.ts';
import type { Call } from '../notify/outgoing.ts';
import { NumbersClient } from '../numbers/numbersClient.ts';
import { oddsScheduled, readOdds } from '../odds/oddsJobs.ts';
import { privacyJobs } from '../privacy/privacyJobs.ts';
import { TELL_EVERY_MS, tellVersions } from '../snapshot/runningServers.ts';
import type { Places } from '../places/places.ts';
import { databaseTroubleJob } from '../signalWatches/databaseTrouble.ts';
import { signalScheduled, type SignalDeps } from '../signalWatches/signalJobs.ts';
import type { AsksNumbers } from '../watches/askWatch.ts';
import { payoutJob } from '../repairs/payoutJobs.ts';
import { watchScheduled } from '../watches/watchJobs.ts';
import type { Workings } from './wiring.ts';

const LOAD_SPOOL_EVERY_MS = 1000;
const COUNT_EVERY_MS = 5000;
const LOOK_EVERY_MS = 1000;
const SILENT_AFTER_MS = 2000;

export interface JobGround {
  config: Config;
  models: Models;
  places: Places;
  call: Call;
  walk: Walk;
  signals: SignalDeps;
}

export function startJobs(w: Workings, ground: JobGround, log: Logger): Repeating[] {
  const { config, places, call } = ground;
  const often = new OncePerMinute(log, w.now);
  const { intake: pool, desk } = w.pools;
  const intake = intakeJobs({
    pool,
    judge: w.judge,
    tell: (deskId, ...topics) => w.news.tell(deskId, ...topics),
    onNotJudged: (receipt, err) => often.error('postback not processed', { err, receipt }),
    now: w.now,
    isClosing: () => w.closing,
  });
  const loadSpools = async (): Promise<void> => {
    const { files, rows, tornBytes, deskIds } = await w.loadSpools();
    if (tornBytes > 0) log.error({ tornBytes }, 'a spool file has an unreadable end; it is kept as *.torn');
    if (files === 0) return;
    log.warn({ rows }, 'rows that waited in the spool are in the database');
    // What was told of them when they were kept came too early: nobody could see them yet.
    for (const deskId of deskIds) w.news.tell(deskId, 'visits', 'postbacks-in');
    await intake.spoolLoaded();
  };
  const repeated: RepeatedJob[] = [
    ...notifyJobs({
      pool,
      call,
      headersOf: (deskId, sourceId) => sourceHeaders(pool, config.secret, deskId, sourceId),
      random: Math.random,
      now: w.now,
      onAttempt: (deskId, delivered) => {
        w.metrics.postbackOut(delivered);
        w.news.tell(deskId, 'postbacks-out');
      },
      onError: (err) => log.warn({ err }, 'a postback out is tried again: its result could not be written'),
    }),
    pagePixelJob(pool, w.now),
    relayJob({ pool, call, random: Math.random, now: w.now }),
    relayCleanup(desk),
    sendNotices(w, ground),
    { everyMs: LOAD_SPOOL_EVERY_MS, run: loadSpools, trouble: 'the spool waits' },
    ...intake.jobs,
    batchJob({
      pool: w.pools.intake,
      judging: w.pools.judging,
      nextFileRows: (batch, most) => nextFileRows(w.pools.intake, batch, most),
      compareRows: (batch) => compareRows(w.pools.intake, batch),
      carryNext: (batch) => carryNext({ pool: w.pools.intake, judging: w.pools.judging }, batch),
      tell: (deskId) => w.news.tell(deskId, 'postbacks-in', 'conversions', 'postbacks-out'),
      onTrouble: (batch, err) => often.error('a repair or an import waits', { err, batch }),
      isClosing: () => w.closing,
      giveWay: new GiveWay(() => w.health.rowsOf('visit')),
    }),
    lostClaimsJob(w.pools.intake),
    feedJob(
      {
        pool,
        serverSecret: config.secret,
        out: {
          allowed: config.allowOutgoing,
          ownOrigins: [config.desk, config.tracking, config.partners].map((p) => p.origin),
        },
        judge: (receipts) => judgeInParts(w.pools.judging, receipts, w.now()),
        now: w.now,
        tell: (deskId) => w.news.tell(deskId, 'feeds', 'postbacks-in', 'conversions'),
      },
      () => w.closing,
    ),
    ...captureJobs({ ...w, pool: desk, snapshot: () => w.live.current, keepSalts: w.ground.salts }),
    {
      everyMs: TELL_EVERY_MS,
      run: () => tellVersions(desk, w.processName, w.live),
      trouble: 'the versions of this server are published later',
    },
    { everyMs: COUNT_EVERY_MS, run: () => w.unrecorded.flush(desk), trouble: 'counts are written later' },
    partitionJob(desk, w.now),
    plansJob(w.pools.judging),
    readOdds(w.odds),
    places.job(),
  ];
  const timetable = openTimetable(desk, scheduledJobs(w, ground, log), (err) =>
    often.error('scheduled work waits', { err }),
  );
  w.runSoon = (name) =>
    // It runs at its time then.
    void timetable
      .runNow(name)
      .catch((err: unknown) => log.warn({ err, name }, 'scheduled work is not run before its time'));
  return [...repeated.map((job) => startJob(job, (trouble, err) => log.warn({ err }, trouble))), timetable];
}

function sendNotices(w: Workings, { config, call }: JobGround): RepeatedJob {
  const pool = w.pools.desk;
  const mailer = config.mail && makeMailer(config.mail);
  const job = sendNoticesJob({
    pool,
    serverSecret: config.secret,
    deskOrigin: config.desk.origin,
    call,
    mail: mailer && mailer.send,
    headersOf: (deskId, sourceId) => sourceHeaders(pool, config.secret, deskId, sourceId),
    random: Math.random,
    now: w.now,
    tell: (deskId) => w.news.tell(deskId, 'watches'),
  });
  return mailer ? { ...job, close: () => Promise.resolve(mailer.close()) } : job;
}

/** By the timetable: once at a time, in whichever process comes first. */
function scheduledJobs(w: Workings, ground: JobGround, log: Logger): ScheduledJob[] {
  const { config, models, walk } = ground;
  const { desk } = w.pools;
  const numbers = new NumbersClient(config.dataFolder);
  const ask: AsksNumbers = (deskId, asked) => numbers.ask({ deskId, asked });
  return [
    ...databaseJobs(desk),
    ...privacyJobs(desk, config.addressDays, w.now),
    oddsScheduled(desk, w.now),
    ...feedScheduled({ pool: desk, now: w.now }),
    ...watchScheduled({
      pool: desk,
      models,
      ask,
      now: w.now,
      waiting: w.spoolFiles,
      tell: (deskId) => w.news.tell(deskId, 'watches', 'parts'),
      onTrouble: (watch, err) => log.error({ err, watch }, 'a watch could not be checked'),
    }),
    ...signalScheduled(ground.signals),
    payoutJob({
      pool: desk,
      judge: w.judge,
      now: w.now,
      tell: w.news.tell.bind(w.news),
      onTrouble: (conversion, err) =>
        log.error({ err, conversion }, 'a partner payout waits for its approval'),
    }),
    lookAtWaitingOffers({
      pool: desk,
      look: {
        walk,
        ownOrigins: [config.desk, config.tracking, config.partners].map((p) => p.origin),
      },
      now: w.now,
      tell: (deskId) => w.news.tell(deskId, 'parts'),
    }),
    dailyRates({
      pool: desk,
      judge: w.judge,
      config,
      now: w.now,
      tell: (deskId) => w.news.tell(deskId, 'conversions', 'numbers'),
    }),
  ];
}

/** Runs from the start, also while the database is away. */
export function tellOfDatabase(w: Workings, config: Config, log: Logger): Repeating {
  const mailer = config.mail && makeMailer(config.mail);
  const job = databaseTroubleJob({
    pool: w.pools.desk,
    dataFolder: config.dataFolder,
    mail: mailer && mailer.send,
    isAway: () => w.health.news.database === 'away',
    deskOrigin: config.desk.origin,
    now: w.now,
    newId: () => w.newId(w.now()),
  });
  return startJob(mailer ? { ...job, close: () => Promise.resolve(mailer.close()) } : job, (trouble, err) =>
    log.warn({ err }, trouble),
  );
}

/** Asks the database for a sign of life; runs from the start, also while it is away. */
export function watchDatabase(w: Workings): Repeating {
  const look = async (): Promise<void> => {
    const answered = w.pools.desk.query('SELECT 1').then(
      () => true,
      () => false,
    );
    const silent = new Promise<false>((resolve) => setTimeout(() => resolve(false), SILENT_AFTER_MS).unref());
    if (!(await Promise.race([answered, silent]))) w.health.databaseSilent();
    else if (w.health.ready) w.health.databaseAnswered();
    // The counts go on, and who watches wants to see them grow.
    if (w.health.news.database === 'away') w.health.tell();
  };
  return repeatEvery(LOOK_EVERY_MS, look, () => undefined);
}
