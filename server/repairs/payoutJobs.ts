/** Partner payouts that the offer approves after a number of days. */
import type { StreamNews } from '@tracheon/core/contract';
import type { ScheduledJob } from '../jobs/job.ts';
import type { HandGround } from './handReceipts.ts';
import { approveDuePayouts } from './payoutReviews.ts';

export const payoutJob = (
  ground: HandGround & { tell: (deskId: string, ...topics: StreamNews['topics']) => void },
): ScheduledJob => ({
  name: 'approve-payouts',
  cron: '* * * * *',
  run: async () => {
    for (const deskId of await approveDuePayouts(ground)) ground.tell(deskId, 'conversions', 'postbacks-in');
  },
});
