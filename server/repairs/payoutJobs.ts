/** Partner payouts that the offer approves after a number of days. */
import type { StreamNews } from '@tracheon/core/contract';
import type { ScheduledJob } from '../jobs/job.ts';
import { approveDuePayouts, type DueGround } from './payoutReviews.ts';

export const payoutJob = (
  ground: DueGround & { tell: (deskId: string, ...topics: StreamNews['topics']) => void },
): ScheduledJob => ({
  name: 'approve-payouts',
  cron: '* * * * *',
  run: async () => {
    for (const deskId of await approveDuePayouts(ground)) ground.tell(deskId, 'conversions', 'postbacks-in');
  },
});
