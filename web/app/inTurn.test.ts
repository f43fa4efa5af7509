import { expect, it } from '@jest/globals';
import { inTurn } from './inTurn.ts';

it('begins the next when the one before has ended, also after a failure, and hands on what each gave', async () => {
  const turn = inTurn();
  const said: string[] = [];
  let end = (): void => undefined;
  const first = turn(async () => {
    said.push('first begins');
    await new Promise<void>((resolve) => (end = resolve));
    said.push('first ends');
    throw new Error('away');
  });
  const second = turn(() => Promise.resolve(said.push('second')));
  await new Promise(setImmediate);
  expect(said).toEqual(['first begins']);
  end();
  await expect(first).rejects.toThrow('away');
  expect(await second).toBe(3);
  expect(said).toEqual(['first begins', 'first ends', 'second']);
});
