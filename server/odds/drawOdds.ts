/**
 * The draws of automatic splits, in a process of their own at low priority: visits never wait for them. Answers one message
 * and ends.
 */
import { lowerPriority } from '../jobs/lowPriority.ts';
import { drawAll, type SplitToDraw } from './drawAll.ts';

const cpuMs = (): number => {
  const { user, system } = process.cpuUsage();
  return (user + system) / 1000;
};
const LOW_PRIORITY = 10;

lowerPriority(LOW_PRIORITY);
process.once('message', (splits: SplitToDraw[]) => {
  process.send!(drawAll(splits, cpuMs), () => process.disconnect());
});
