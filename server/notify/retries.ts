/** When a postback out is tried again: one place, capped, jittered, and only for what may pass. */
export const FIRST_DELAY_MS = 5_000;
export const MAX_DELAY_MS = 60 * 60 * 1000;
/** After this long a call is gaveUp: somebody has to look. */
export const GIVE_UP_MS = 24 * 60 * 60 * 1000;

export function mayRetry(httpStatus: number | null): boolean {
  return httpStatus === null || httpStatus === 408 || httpStatus === 429 || httpStatus >= 500;
}

/** Full jitter over the upper half, so that calls which failed together do not come back together. `random` is 0–1. */
export function delayBefore(tryNumber: number, random: number): number {
  const capped = Math.min(MAX_DELAY_MS, FIRST_DELAY_MS * 2 ** Math.min(tryNumber - 1, 20));
  return Math.round(capped * (0.5 + random / 2));
}
