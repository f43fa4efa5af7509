import { expect, it } from '@jest/globals';
import { newest } from './newest.ts';

function answerLater<T>(): { promise: Promise<T>; answer: (value: T) => void; refuse: (why: Error) => void } {
  let answer!: (value: T) => void;
  let refuse!: (why: Error) => void;
  const promise = new Promise<T>((resolve, reject) => ((answer = resolve), (refuse = reject)));
  return { promise, answer, refuse };
}

it('shows the answer to the newest question, also when an older one answers later', async () => {
  const shown: string[] = [];
  const failed: string[] = [];
  const asks = newest();
  const [october, days] = [answerLater<string>(), answerLater<string>()];
  const both = [october, days].map((q) =>
    asks(
      q.promise,
      (answer) => shown.push(answer),
      (why) => failed.push(why),
    ),
  );
  days.answer('3 – 9 Oct');
  await both[1];
  october.answer('October');
  await both[0];
  expect(shown).toEqual(['3 – 9 Oct']);
  const [broken, good] = [answerLater<string>(), answerLater<string>()];
  const next = [broken, good].map((q) =>
    asks(
      q.promise,
      (answer) => shown.push(answer),
      (why) => failed.push(why),
    ),
  );
  good.answer('November');
  broken.refuse(new Error('away'));
  await Promise.all(next);
  expect([shown, failed]).toEqual([['3 – 9 Oct', 'November'], []]);
  await asks(
    Promise.reject(new Error('away')),
    () => undefined,
    (why) => failed.push(why),
  );
  expect(failed).toEqual(['away']);
});
