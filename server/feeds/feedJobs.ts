/** Feeds are fetched by the timetable; what is queued by hand is looked for more often. */
import type { Pool } from 'pg';
import { isAway } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import { JudgeQueue } from '../intake/judgeQueue.ts';
import type { RepeatedJob, ScheduledJob } from '../jobs/job.ts';
import { workOnNext, type RunDeps } from './feedRun.ts';
import { queueDue } from './feedStore.ts';
import { dropReplacedCosts } from './takeInCosts.ts';

const LOOK_EVERY_MS = 1000;

/** Conversions that a back-fill finds later than this are no news to a source. */
const REPORTED_FOR_MS = 3 * 86_400_000;
/**
 * `pool` is one opened with `pipeline`. What can't be judged now is found by the sweep, which tells its trouble; only a
 * database that is away ends the run.
 */
export async function judgeInParts(
  pool: Pool,
  receipts: readonly ReceiptRecord[],
  nowMs: number,
): Promise<void> {
  const queue = new JudgeQueue(pool);
  const options = { commitsLater: true, reportSince: nowMs - REPORTED_FOR_MS };
  const said = await Promise.allSettled(receipts.map((receipt) => queue.judge(receipt, options)));
  const away = said.find((one) => one.status === 'rejected' && isAway(one.reason));
  if (away?.status === 'rejected') throw away.reason;
}

export const feedScheduled = ({ pool, now }: Pick<RunDeps, 'pool' | 'now'>): ScheduledJob[] => [
  { name: 'queue-feeds', cron: '* * * * *', run: () => queueDue(pool, now()) },
  { name: 'drop-replaced-costs', cron: '12 3 * * *', run: () => dropReplacedCosts(pool, now()) },
];

/** In every process; each run is one process's at a time. */
export function feedJob(deps: Omit<RunDeps, 'signal'>, isClosing: () => boolean): RepeatedJob {
  return {
    everyMs: LOOK_EVERY_MS,
    trouble: 'feeds wait',
    run: async () => {
      const closing = new AbortController();
      // A provider that is slow to answer must not hold up a stop.
      const looking = setInterval(() => isClosing() && closing.abort(), LOOK_EVERY_MS / 4);
      try {
        while (!isClosing() && (await workOnNext({ ...deps, signal: closing.signal })));
      } finally {
        clearInterval(looking);
      }
    },
  };
}
