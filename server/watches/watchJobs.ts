/** Watches are looked at every minute, once among all processes. */
import type { ScheduledJob } from '../jobs/job.ts';
import { checkDueWatches, type WatchDeps } from './checkWatches.ts';
import { dropOldHistory } from './watchStore.ts';

export const watchScheduled = (deps: WatchDeps): ScheduledJob[] => [
  { name: 'check-watches', cron: '* * * * *', run: () => checkDueWatches(deps) },
  { name: 'drop-watch-history', cron: '32 3 * * *', run: () => dropOldHistory(deps.pool, deps.now()) },
];
