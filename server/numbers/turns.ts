/** Lets one through at a time, in the order in which they came. */
export class Turns {
  private last: Promise<void> = Promise.resolve();

  /** Resolves with what ends the turn. Who gives up while waiting rejects with the signal's reason, and holds nobody up. */
  async take(signal: AbortSignal): Promise<() => void> {
    const before = this.last;
    let end = (): void => undefined;
    const mine = new Promise<void>((resolve) => (end = resolve));
    this.last = before.then(() => mine);
    try {
      await orAborted(before, signal);
    } catch (error) {
      end();
      throw error;
    }
    return end;
  }
}

function orAborted(waited: Promise<void>, signal: AbortSignal): Promise<void> {
  return new Promise((resolve, reject) => {
    const give = (): void => reject(signal.reason as Error);
    if (signal.aborted) return give();
    signal.addEventListener('abort', give, { once: true });
    void waited.then(() => {
      signal.removeEventListener('abort', give);
      resolve();
    });
  });
}
