/** When a watch looks, at which time, and when it may act. */
import type { WatchInput } from '../contract/index.ts';
import { daysBefore, localHourIn } from '../time/index.ts';

const HOUR_MS = 3_600_000;

/** The second moment is not in it. */
export const windowAt = (
  { windowHours, skipHours }: Pick<WatchInput, 'windowHours' | 'skipHours'>,
  atMs: number,
): { fromMs: number; toMs: number } => ({
  fromMs: atMs - windowHours * HOUR_MS,
  toMs: atMs - skipHours * HOUR_MS,
});

/** The same window, so many days before: at the same hours of the clock, also across a change of summer time. */
export const windowBefore = (
  watch: Pick<WatchInput, 'windowHours' | 'skipHours'>,
  atMs: number,
  days: number,
  zone: string,
): { fromMs: number; toMs: number } => windowAt(watch, daysBefore(atMs, days, zone));

/** From the first hour to the second one, which is not in it; over midnight too. */
export function isQuiet(
  { quietFrom, quietTo }: Pick<WatchInput, 'quietFrom' | 'quietTo'>,
  atMs: number,
  zone: string,
): boolean {
  if (quietFrom === quietTo) return false;
  const { hour } = localHourIn(zone)(atMs);
  return quietFrom < quietTo ? hour >= quietFrom && hour < quietTo : hour >= quietFrom || hour < quietTo;
}

export interface ActGround {
  isQuiet: boolean;
  /** Acts of this watch on this local day. */
  actsToday: number;
  /** When this subject's last finding that was acted on ended; null: never. */
  lastEndedMs: number | null;
  /** Why it has to ask although it is set to act; empty: nothing is wrong. */
  doubt: string;
}
export type NextStep =
  | { step: 'none' }
  | { step: 'act' }
  | { step: 'ask'; why: string }
  | { step: 'put_off'; why: string };

/** The next step for one finding. The next check looks again at what is put off. */
export function nextStep(
  watch: Pick<WatchInput, 'act' | 'asks' | 'actsPerDay' | 'restHours'>,
  { isQuiet: quiet, actsToday, lastEndedMs, doubt }: ActGround,
  nowMs: number,
): NextStep {
  if (watch.act === 'notify') return { step: 'none' };
  if (lastEndedMs !== null && nowMs < lastEndedMs + watch.restHours * HOUR_MS)
    return { step: 'put_off', why: `It was acted on in the last ${watch.restHours} hours.` };
  if (watch.asks) return { step: 'ask', why: '' };
  if (doubt !== '') return { step: 'ask', why: doubt };
  if (quiet) return { step: 'put_off', why: 'It is a quiet hour.' };
  if (actsToday >= watch.actsPerDay)
    return { step: 'put_off', why: `This watch has acted ${actsToday} times today, which is its limit.` };
  return { step: 'act' };
}

/** In step with the checks before it. What was missed is made up for by the one check that has just been made. */
export function nextCheck(
  lastMs: number,
  { everyMinutes }: Pick<WatchInput, 'everyMinutes'>,
  nowMs: number,
): number {
  const every = everyMinutes * 60_000;
  return lastMs + (Math.floor(Math.max(0, nowMs - lastMs) / every) + 1) * every;
}
