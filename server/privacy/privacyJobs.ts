/** Full addresses go after their days. */
import type { Pool } from 'pg';
import { dropOldAddresses } from '../db/partitions.ts';
import type { ScheduledJob } from '../jobs/job.ts';

export const privacyJobs = (pool: Pool, addressDays: number, now: () => number): ScheduledJob[] => [
  {
    name: 'drop-old-addresses',
    cron: '7,22,37,52 * * * *',
    run: () => dropOldAddresses(pool, now(), addressDays),
  },
];
