/** Sends what waits in the outbox. */
import type { RepeatedJob } from '../jobs/job.ts';
import { Sender, type SenderDeps } from './sender.ts';

const SEND_EVERY_MS = 500;

export function notifyJobs(deps: SenderDeps): RepeatedJob[] {
  const sender = new Sender(deps);
  return [
    {
      everyMs: SEND_EVERY_MS,
      run: () => sender.send(),
      trouble: 'postbacks out wait',
      close: () => sender.close(),
    },
  ];
}
