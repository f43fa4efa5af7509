/** Watches are looked at every minute, once among all processes; one that was switched on or changed, at once. */
import type { ScheduledJob } from '../jobs/job.ts';
import { dropOldNotices } from '../notices/noticeStore.ts';
import { checkDueWatches, type WatchDeps } from './checkWatches.ts';
import { dropOldHistory } from './watchStore.ts';

export const CHECK_WATCHES = 'check-watches';

export const watchScheduled = (deps: WatchDeps): ScheduledJob[] => [
  { name: CHECK_WATCHES, cron: '* * * * *', run: () => checkDueWatches(deps) },
  {
    name: 'drop-watch-history',
    cron: '32 3 * * *',
    run: async () => {
      await dropOldHistory(deps.pool, deps.now());
      await dropOldNotices(deps.pool, deps.now());
    },
  },
];
