/**
 * Compares the index with PostgreSQL once a night. What still differs once the index has taken in all that PostgreSQL had by
 * then is a fault, and not news that is under way: it is logged, and the index is built anew.
 */
import { setTimeout as pause } from 'node:timers/promises';
import type { Pool } from 'pg';
import type { IndexFile } from './indexFile.ts';
import { nextTransaction } from './facts.ts';
import { verify, type Difference } from './verify.ts';

const LOOK_EVERY_MS = 15 * 60_000;
const HOUR_MS = 3_600_000;
/** Quiet hours of the night, UTC; and no night is longer ago than this. */
const NIGHT_HOURS = { from: 1, to: 4 };
const ENOUGH_MS = 20 * HOUR_MS;
const OVERDUE_MS = 48 * HOUR_MS;
const LOOK_FOR_NEWS_MS = 1000;
/** Of many differences, these are logged. */
const MOST_LOGGED = 10;

export interface CheckDeps {
  pool: Pool;
  /** The index as it is now; null while there is none. */
  open: () => IndexFile | null;
  drop: () => void;
  log: { info: (more: object, words: string) => void; error: (more: object, words: string) => void };
  now?: () => number;
  lookEveryMs?: number;
}

export function isDue(nowMs: number, checkedMs: number): boolean {
  const hour = new Date(nowMs).getUTCHours();
  const isNight = hour >= NIGHT_HOURS.from && hour < NIGHT_HOURS.to;
  const since = nowMs - checkedMs;
  return (isNight && since > ENOUGH_MS) || since > OVERDUE_MS;
}

export function startNightlyCheck(deps: CheckDeps): { close: () => Promise<void> } {
  const closing = new AbortController();
  const now = deps.now ?? Date.now;
  // A new index is as PostgreSQL had it.
  let checkedMs = now();
  const running = (async () => {
    while (!closing.signal.aborted) {
      await pause(deps.lookEveryMs ?? LOOK_EVERY_MS, undefined, { signal: closing.signal }).catch(
        () => undefined,
      );
      if (closing.signal.aborted || !deps.open() || !isDue(now(), checkedMs)) continue;
      try {
        await check(deps, closing.signal);
        checkedMs = now();
      } catch (err) {
        if (!closing.signal.aborted)
          deps.log.error({ err }, 'the numbers index could not be compared; it is tried again');
      }
    }
  })();
  return { close: () => (closing.abort(), running) };
}

async function check({ pool, open, drop, log }: CheckDeps, signal: AbortSignal): Promise<void> {
  const index = open();
  if (!index) return;
  const first = await verify(pool, index);
  if (first.length === 0) return log.info({}, 'the numbers index agrees with the database');
  const allOver = await nextTransaction(pool);
  while (index.cursor < allOver) {
    await pause(LOOK_FOR_NEWS_MS, undefined, { signal });
    // Built anew meanwhile: there is nothing to say of the old one.
    if (open() !== index) return;
  }
  const nameOf = (d: Difference): string => `${d.deskId}|${d.what}`;
  const before = new Map(first.map((d) => [nameOf(d), d]));
  const second = (await verify(pool, index)).filter((d) => {
    const was = before.get(nameOf(d));
    // What moves is being fed.
    return was?.inDatabase === d.inDatabase && was.inIndex === d.inIndex;
  });
  if (second.length === 0) return log.info({}, 'the numbers index agrees with the database');
  log.error(
    { count: second.length, differences: second.slice(0, MOST_LOGGED) },
    'the numbers index differs from the database; it is built anew',
  );
  drop();
}
