/** Repeats a job with a pause between its end and its next start, so that it never runs twice at once. */
export interface Repeating {
  stop: () => Promise<void>;
}

export function repeatEvery(
  ms: number,
  job: () => Promise<unknown>,
  onError: (error: unknown) => void,
): Repeating {
  let stopped = false;
  let wake: () => void = () => undefined;
  const loop = async (): Promise<void> => {
    while (!stopped) {
      await job().catch(onError);
      if (stopped) return;
      await new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, ms);
        wake = () => {
          clearTimeout(timer);
          resolve();
        };
      });
    }
  };
  const running = loop();
  return {
    stop: () => {
      stopped = true;
      wake();
      return running;
    },
  };
}
