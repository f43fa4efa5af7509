/** ulid() asks the system for each character's randomness; a pool of random bytes makes it twenty times as fast. */
import { randomBytes } from 'node:crypto';
import { ulid, monotonicFactory } from 'ulid';

function pooled(): () => number {
  let pool = Buffer.alloc(0);
  let at = 0;
  return () => {
    if (at >= pool.length) [pool, at] = [randomBytes(4096), 0];
    return pool[at++]! / 256;
  };
}

/** A clock that was set back by more than this is followed; by less, IDs go on from the last. */
const FOLLOW_BACK_MS = 1000;

/**
 * Each ID is above the one before, within one process, as long as the clock is not set back. An ID's time is then that of
 * the clock again: else a clock that was once a year ahead would date everything into that year until the next start.
 */
export function pooledUlid(): (nowMs: number) => string {
  const random = pooled();
  let next = monotonicFactory(random);
  let last = 0;
  return (nowMs) => {
    if (nowMs < last - FOLLOW_BACK_MS) [next, last] = [monotonicFactory(random), 0];
    last = Math.max(last, nowMs);
    return next(nowMs);
  };
}

/** In no order with others of the same millisecond. */
const random = pooled();
export const ulidAt = (ms: number): string => ulid(ms, random);
