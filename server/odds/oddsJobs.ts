/** Odds are computed once a minute among all processes, and read by each of them. */
import type { Pool } from 'pg';
import type { RepeatedJob, ScheduledJob } from '../jobs/job.ts';
import { computeOdds } from './computeOdds.ts';
import { drawApart } from './drawApart.ts';
import type { OddsKeeper } from './oddsKeeper.ts';

const READ_EVERY_MS = 5000;

export const oddsScheduled = (pool: Pool, now: () => number): ScheduledJob => ({
  name: 'split-odds',
  cron: '* * * * *',
  run: () => computeOdds(pool, drawApart, now),
});
export const readOdds = (keeper: OddsKeeper): RepeatedJob => ({
  everyMs: READ_EVERY_MS,
  run: () => keeper.load(),
  trouble: 'automatic splits draw by the odds read last',
});
