/** What keeps the tables as they should be. */
import type { Pool } from 'pg';
import type { RepeatedJob, ScheduledJob } from '../jobs/job.ts';
import { FACT_CHANGE_DAYS, FEED_BATCH_DAYS, HISTORY_DAYS } from './factChanges.ts';
import { keepPartitions } from './partitions.ts';

const KEEP_PARTITIONS_EVERY_MS = 900_000;

/** In every process: a day without its partition would cost visits their speed, so nobody relies on another one. */
export const partitionJob = (pool: Pool, now: () => number): RepeatedJob => ({
  everyMs: KEEP_PARTITIONS_EVERY_MS,
  run: () => keepPartitions(pool, now()),
  trouble: 'partitions wait',
});

export const databaseJobs = (pool: Pool): ScheduledJob[] => [
  {
    name: 'forget-fact-changes',
    cron: '11 * * * *',
    run: async () => {
      for (const [rows, days] of [
        [`fact_changes WHERE kind <> 'conversion' AND at`, FACT_CHANGE_DAYS],
        ['fact_changes WHERE at', HISTORY_DAYS],
        ['feed_batches WHERE at', FEED_BATCH_DAYS],
      ] as const)
        await pool.query(`DELETE FROM ${rows} < now() - make_interval(days => $1)`, [days]);
    },
  },
  {
    name: 'forget-what-is-over',
    cron: '17 * * * *',
    run: async () => {
      await pool.query(`DELETE FROM idempotent_calls WHERE created_at < now() - interval '24 hours'`);
      await pool.query('DELETE FROM password_links WHERE expires_at < now()');
      await pool.query('DELETE FROM try_counts WHERE until < now()');
      await pool.query(
        `DELETE FROM visit_leases WHERE isfinite(starts) AND starts < now() - interval '2 months'`,
      );
      await pool.query('DELETE FROM old_keys WHERE valid_until < now()');
    },
  },
];
