/** What becomes of an order: the affiliate network decides after one to six days, and takes a few back later. */
import type { Random } from './random.ts';

const HOUR_MS = 3_600_000;
const APPROVED_SHARE = 0.76;
const TAKEN_BACK_SHARE = 0.03;

export interface Step {
  at: number;
  state: 'approved' | 'rejected' | 'reversed';
}

/** The steps to come of an order placed at this time, in their order. */
export function decisionsOf(orderedAt: number, random: Random): Step[] {
  const at = Math.floor(orderedAt + (24 + random() * 120) * HOUR_MS);
  if (random() >= APPROVED_SHARE) return [{ at, state: 'rejected' }];
  const approved: Step = { at, state: 'approved' };
  return random() < TAKEN_BACK_SHARE ? [approved, { at: at + 30 * HOUR_MS, state: 'reversed' }] : [approved];
}
