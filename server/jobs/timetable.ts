/**
 * Scheduled work, once among all processes: pg-boss keeps the timetable in the database, and one of them takes each run. A
 * process that cannot reach the database tries again; what is due meanwhile runs elsewhere, or when it is back.
 */
import type { Pool } from 'pg';
import PgBoss from 'pg-boss';
import type { ScheduledJob } from './job.ts';
import { repeatEvery, type Repeating } from './repeatEvery.ts';

const START_AGAIN_MS = 5000;
/** No run of ours is in a hurry. */
const LOOK_EVERY_SECONDS = 15;
const STOP_PATIENCE_MS = 2000;

export interface Timetable extends Repeating {
  /** Asks for one run now: this process looks at once, another one at its next look. Rejects before the timetable has been started. */
  runNow: (name: string) => Promise<void>;
}

const over = (pool: Pool): PgBoss.Db => ({ executeSql: (text, values) => pool.query(text, values) });

/** A statement that records the end of a run. */
const NOTES_AN_END = /completed_on/;

/**
 * pg-boss records the end of a run without awaiting the write and without catching its error. When the database is away, or
 * the pool is closed because a run outlived a stop, that error would end the whole process. It is reported here instead;
 * pg-boss then treats the run as one that took too long.
 */
class Forgiving implements PgBoss.Db {
  constructor(
    private readonly db: PgBoss.Db,
    private readonly onError: (error: unknown) => void,
  ) {}

  async executeSql(text: string, values: unknown[]): ReturnType<PgBoss.Db['executeSql']> {
    const asked = this.db.executeSql(text, values);
    if (!NOTES_AN_END.test(text)) return asked;
    return asked.catch((error: unknown) => {
      this.onError(error);
      return { rows: [{ count: 0 }] };
    });
  }
}

/** Any number; the same in every process. */
const START_LOCK = 7_482_190_018;

/** Each queue is a table: made by two processes at once, they would wait for each other's locks. */
async function oneAtATime(pool: Pool, work: () => Promise<void>): Promise<void> {
  const client = await pool.connect();
  let broken = false;
  try {
    await client.query('SELECT pg_advisory_lock($1)', [START_LOCK]);
    await work();
  } finally {
    await client.query('SELECT pg_advisory_unlock($1)', [START_LOCK]).catch(() => (broken = true));
    client.release(broken);
  }
}

export function openTimetable(
  pool: Pool,
  jobs: readonly ScheduledJob[],
  onError: (error: unknown) => void,
  lookEverySeconds = LOOK_EVERY_SECONDS,
): Timetable {
  const boss = new PgBoss({ db: new Forgiving(over(pool), onError) });
  boss.on('error', onError);
  let isStarted = false;
  /** Those of pg-boss in this process, by the names of their jobs. */
  const workers = new Map<string, string>();
  const start = async (): Promise<void> => {
    if (isStarted) return;
    await oneAtATime(pool, async () => {
      await boss.start();
      for (const { name, cron } of jobs) {
        // A run that takes long is not begun a second time beside itself.
        await boss.createQueue(name, { name, policy: 'singleton', retryLimit: 0 });
        await boss.schedule(name, cron);
      }
    });
    for (const { name, run } of jobs) {
      const worker = await boss.work(name, { pollingIntervalSeconds: lookEverySeconds }, async () => {
        // pg-boss notes a failed run in its tables only; nobody would hear of it.
        await run().catch((error: unknown) => {
          onError(error);
          throw error;
        });
      });
      workers.set(name, worker);
    }
    isStarted = true;
  };
  const starting = repeatEvery(START_AGAIN_MS, start, onError);
  return {
    runNow: async (name) => {
      if (!isStarted) throw new Error('the timetable has not been started');
      await boss.send(name, {});
      boss.notifyWorker(workers.get(name)!);
    },
    stop: async () => {
      await starting.stop();
      await boss.stop({ graceful: true, wait: true, close: false, timeout: STOP_PATIENCE_MS });
    },
  };
}
