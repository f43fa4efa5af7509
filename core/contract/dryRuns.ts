/** A watch tried on the past. */
import { z } from 'zod';
import { isoTime, microsText, recordId } from './primitives.ts';
import { seenFigure } from './watchFindings.ts';
import { watchInput } from './watches.ts';

/** Weeks of the past on which a watch can be tried. */
export const dryRunDays = [7, 14, 28] as const;
/** Checks of one dry run: of a watch that looks more often, the latest ones. */
export const MAX_DRY_CHECKS = 400;
export const MAX_SHOWN_FIRINGS = 500;
export const dryRunInput = z.object({
  watch: watchInput,
  days: z.union([z.literal(7), z.literal(14), z.literal(28)]).default(14),
});
export const watchFiring = z.object({
  at: isoTime,
  endedAt: isoTime.nullable(),
  value: z.string(),
  name: z.string(),
  seen: z.array(seenFigure),
  step: z.enum(['none', 'act', 'ask', 'put_off']),
  why: z.string(),
  /** What it brought or lost after that, until now; null: the cost is not known. */
  laterProfitMicros: microsText.nullable(),
});
export type WatchFiring = z.infer<typeof watchFiring>;
export const dryRun = z.object({
  id: recordId,
  state: z.enum(['running', 'done', 'stopped', 'failed']),
  /** Checks that are done, and all of them. */
  done: z.int(),
  of: z.int(),
  from: isoTime,
  to: isoTime,
  /** Before this, not every time of booking is known; null: all of it is. */
  approximateUntil: isoTime.nullable(),
  problem: z.string(),
  /** Firings that there are, also those that are not shown. */
  count: z.int(),
  firings: z.array(watchFiring),
  /** What the acts would have saved, less what they would have cost: the loss after the first act on each value. */
  savedMicros: microsText,
  /** Checks with firings, by local day. */
  byDay: z.array(z.object({ day: z.string(), firings: z.int(), savedMicros: microsText })),
});
export type WatchDryRun = z.infer<typeof dryRun>;
