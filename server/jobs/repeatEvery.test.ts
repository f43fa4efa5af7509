import { expect, it } from '@jest/globals';
import { repeatEvery } from './repeatEvery.ts';

it('never runs twice at once, goes on after a failure, and ends when told', async () => {
  let running = 0;
  let most = 0;
  let runs = 0;
  const failures: unknown[] = [];
  const done = new Promise<void>((resolve) => {
    const repeating = repeatEvery(
      1,
      async () => {
        running += 1;
        most = Math.max(most, running);
        runs += 1;
        await Promise.resolve();
        running -= 1;
        if (runs === 2) throw new Error('once');
        if (runs === 4) void repeating.stop().then(resolve);
      },
      (error) => failures.push(error),
    );
  });
  await done;
  expect([most, runs, failures.length]).toEqual([1, 4, 1]);
});
