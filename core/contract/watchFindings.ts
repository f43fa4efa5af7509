/** What watches found, and the checks by which they did. */
import { z } from 'zod';
import { isoTime, microsText, recordId } from './primitives.ts';
import { watchActs, watchInput } from './watches.ts';

/** What a figure was when it was looked at. */
export const seenFigure = z.object({
  figure: z.string(),
  value: z.number().nullable(),
  /** Its mean over the same hours of the days before, where a condition compares with them. */
  usual: z.number().nullable().optional(),
});
export type SeenFigure = z.infer<typeof seenFigure>;

/** `put_off`: by quiet hours, by the number of acts of a day, or by the rest after an earlier finding. */
export const findingActs = ['none', 'put_off', 'asked', 'done', 'left', 'failed', 'undone'] as const;
export const watchFinding = z.object({
  id: recordId,
  watchId: recordId,
  watchName: z.string(),
  act: z.enum(watchActs),
  /** The value of the subject, and what screens call it. */
  value: z.string(),
  name: z.string(),
  seen: z.array(seenFigure),
  spentMicros: microsText,
  state: z.enum(findingActs),
  /** Why it was not done; empty: there is nothing to say. */
  why: z.string(),
  /** The member who decided; empty: nobody has. */
  by: z.string(),
  foundAt: isoTime,
  /** null: its conditions still hold. */
  endedAt: isoTime.nullable(),
});
export type WatchFinding = z.infer<typeof watchFinding>;

export const watchRun = z.object({
  id: recordId,
  at: isoTime,
  from: isoTime,
  to: isoTime,
  rows: z.int(),
  matched: z.int(),
  found: z.int(),
  acted: z.int(),
  /** Why it asked instead of acting, or could not be made; empty: nothing was wrong. */
  note: z.string(),
});
export type WatchRun = z.infer<typeof watchRun>;

export const watchRecord = z.object({
  id: recordId,
  version: z.int().min(1),
  updatedAt: isoTime,
  body: watchInput,
  lastRun: watchRun.nullable(),
  nextAt: isoTime.nullable(),
  /** Findings whose conditions hold now. */
  open: z.int(),
  /** Findings that a member has to decide on. */
  asked: z.int(),
  /** What its next check waits for; empty: nothing. */
  waits: z.string(),
});
export type WatchRecord = z.infer<typeof watchRecord>;

export const watchChange = z.object({
  /** The version that the editor saw; a newer one refuses with `changed_meanwhile`. */
  version: z.int().min(1),
  body: watchInput,
});

/** What a watch would find now. */
export const watchTrial = z.object({
  from: isoTime,
  to: isoTime,
  rows: z.int(),
  matched: z.int(),
  found: z.array(watchFinding.pick({ value: true, name: true, seen: true, spentMicros: true })),
});
export type WatchTrial = z.infer<typeof watchTrial>;
