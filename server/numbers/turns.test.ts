import { expect, it } from '@jest/globals';
import { Turns } from './turns.ts';

const never = (): AbortSignal => new AbortController().signal;

it('come one after the other, in order', async () => {
  const turns = new Turns();
  const order: string[] = [];
  const work = async (name: string): Promise<void> => {
    const end = await turns.take(never());
    order.push(`${name} begins`);
    await Promise.resolve();
    order.push(`${name} ends`);
    end();
  };
  await Promise.all(['a', 'b', 'c'].map(work));
  expect(order).toEqual(['a begins', 'a ends', 'b begins', 'b ends', 'c begins', 'c ends']);
});

it('are given up while waiting, and hold nobody up', async () => {
  const turns = new Turns();
  const end = await turns.take(never());
  const gone = new AbortController();
  const second = turns.take(gone.signal);
  const third = turns.take(never());
  gone.abort(new Error('left'));
  await expect(second).rejects.toThrow('left');
  let isThere = false;
  void third.then(() => (isThere = true));
  await Promise.resolve();
  expect(isThere).toBe(false);
  end();
  (await third)();
  // One that comes given up is let through by nobody, and the next one is.
  await expect(turns.take(AbortSignal.abort(new Error('too late')))).rejects.toThrow('too late');
  (await turns.take(never()))();
});
