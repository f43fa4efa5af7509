/** Work on one thing, one after the other: each begins when the one before it has ended, well or badly. */
export function inTurn() {
  let last: Promise<unknown> = Promise.resolve();
  return <T>(work: () => Promise<T>): Promise<T> => {
    const mine = last.then(work, work);
    last = mine.catch(() => undefined);
    return mine;
  };
}
