/** What goes on beside the requests. Each job goes on after a failure; what failed is tried again at its next turn. */
import { LRUCache } from 'lru-cache';
import type { Logger } from 'pino';
import type { Call } from '../notify/outgoing.ts';
import { Sender } from '../notify/sender.ts';
import type { Config } from '../config/config.ts';
import { writeImpressions } from './writeImpressions.ts';
import { FACT_CHANGE_DAYS } from '../db/factChanges.ts';
import { dropOldAddresses, keepPartitions } from '../db/partitions.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import { MAX_PER_SWEEP, SweepFrom, unjudgedReceipts, unknownClicksDue } from '../intake/sweeper.ts';
import { OncePerMinute } from './logger.ts';
import { saltsByDay } from './keptGround.ts';
import { repeatEvery, type Repeating } from './repeatEvery.ts';
import { currentSalts } from './saltKeeper.ts';
import type { Workings } from './wiring.ts';

const SEND_EVERY_MS = 500;
const SWEEP_EVERY_MS = 1000;
/** Receipts judged at the same time; those of one visit wait for each other in the database. */
const JUDGES = 4;
/** A receipt that could not be judged is no news a second later. */
const TRY_AGAIN_MS = 30_000;
const LOAD_SPOOL_EVERY_MS = 1000;
const ASK_AGAIN_EVERY_MS = 10_000;
const COUNT_EVERY_MS = 5000;
const WRITE_IMPRESSIONS_EVERY_MS = 1000;
const COUNT_CAPS_EVERY_MS = 2000;
const KEEP_HOUSE_EVERY_MS = 900_000;
const LOOK_EVERY_MS = 1000;
const SILENT_AFTER_MS = 2000;

export function startJobs(w: Workings, config: Config, call: Call, log: Logger): Repeating[] {
  const often = new OncePerMinute(log, w.now);
  const onError = (what: string) => (err: unknown) => log.warn({ err }, what);
  const { intake, desk } = w.pools;
  const onAttempt = (deskId: string, delivered: boolean): void => {
    w.metrics.postbackOut(delivered);
    w.news.tell(deskId, 'postbacks-out');
  };
  const onLost = onError('a postback out is tried again: its result could not be written');
  const sender = new Sender({
    pool: intake,
    call,
    random: Math.random,
    now: w.now,
    onAttempt,
    onError: onLost,
  });
  const sending = repeatEvery(SEND_EVERY_MS, () => sender.send(), onError('postbacks out wait'));
  /** Receipts that could not be judged, and when they are tried again. */
  const failing = new LRUCache<string, number>({ max: 10_000 });
  const judgeAll = async (receipts: ReceiptRecord[]): Promise<void> => {
    const waiting = [...receipts].reverse();
    const lane = async (): Promise<void> => {
      for (let receipt = waiting.pop(); receipt; receipt = waiting.pop()) {
        const { id, deskId } = receipt;
        // One that cannot be judged must not keep those behind it waiting.
        await w.judge(receipt).catch((err: unknown) => {
          failing.set(id, w.now() + TRY_AGAIN_MS);
          often.error('postback not processed', { err, receipt: id });
        });
        w.news.tell(deskId, 'postbacks-in', 'conversions', 'postbacks-out');
      }
    };
    await Promise.all(Array.from({ length: JUDGES }, lane));
  };
  const from = new SweepFrom(w.now());
  const sweep = async (): Promise<void> => {
    const began = w.now();
    let after = '';
    for (;;) {
      const found = await unjudgedReceipts(intake, from.value, after);
      if (found.length === 0 && after === '') from.clean(began);
      await judgeAll(found.filter((r) => (failing.get(r.id) ?? 0) <= w.now()));
      // A full one: there are more, as after an outage, or behind some that cannot be judged.
      if (found.length < MAX_PER_SWEEP || w.closing) return;
      after = found.at(-1)!.id;
    }
  };
  const askAgain = async (): Promise<void> => judgeAll(await unknownClicksDue(intake, false));
  const load = async (): Promise<void> => {
    const { files, rows, tornBytes, oldestMs } = await w.loadSpools();
    if (tornBytes > 0) log.error({ tornBytes }, 'a spool file has an unreadable end; it is kept as *.torn');
    if (files === 0) return;
    log.warn({ rows }, 'rows that waited in the spool are in the database');
    from.lookBack(oldestMs);
    await judgeAll(await unknownClicksDue(intake, true));
  };
  const count = async (): Promise<void> => {
    await w.unknown.flush();
    await w.unrecorded.flush(desk);
  };
  const keepHouse = async (): Promise<void> => {
    await keepPartitions(desk, w.now());
    await dropOldAddresses(desk, w.now(), config.addressDays);
    const salts = await currentSalts(desk, w.now());
    w.memory.setSalts(salts);
    await w.keepGround({ salts: saltsByDay(w.now(), salts) });
    from.lookBackAll(w.now());
    await desk.query('DELETE FROM fact_changes WHERE at < now() - make_interval(days => $1)', [
      FACT_CHANGE_DAYS,
    ]);
    await desk.query(`DELETE FROM idempotent_calls WHERE created_at < now() - interval '24 hours'`);
  };
  return [
    {
      stop: async () => {
        await sending.stop();
        await sender.close();
      },
    },
    repeatEvery(LOAD_SPOOL_EVERY_MS, load, onError('the spool waits')),
    repeatEvery(ASK_AGAIN_EVERY_MS, askAgain, onError('unknown clicks wait')),
    repeatEvery(SWEEP_EVERY_MS, sweep, onError('judging waits')),
    repeatEvery(
      WRITE_IMPRESSIONS_EVERY_MS,
      () => writeImpressions(desk, w.impressions),
      onError('impressions are written later'),
    ),
    repeatEvery(COUNT_CAPS_EVERY_MS, () => w.caps.count(w.live.current), onError('caps are as counted last')),
    repeatEvery(COUNT_EVERY_MS, count, onError('counts are written later')),
    repeatEvery(KEEP_HOUSE_EVERY_MS, keepHouse, onError('partitions and salts wait')),
  ];
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
