/** Cut lists: values of a source's sub-ID that lose money, what cutting them would have done, and the lists that were kept. */
import { z } from 'zod';
import { daysIn, isDay } from '../time/index.ts';
import type { Endpoint } from './endpoint.ts';
import { MAX_NUMBERS_DAYS } from './numbers.ts';
import { isoTime, microsText, recordId } from './primitives.ts';
import { figuresAnswer } from './reports.ts';
import { verdictAnswer, verdictRules } from './verdicts.ts';

/** Days on whose figures a rule decides when it is tried on the past; it is judged by the days after them. */
export const TRIAL_DAYS = 7;
/** Values that a cut list shows. */
export const MAX_CUT_ROWS = 500;

const day = z.string().refine(isDay, 'Write a day as YYYY-MM-DD.');
const sub = z.string().min(1).max(80);

export const cutListAsked = z
  .object({
    sourceId: recordId,
    /** Name of the sub-ID whose values are judged. */
    sub,
    from: day,
    to: day,
  })
  .refine(({ from, to }) => from <= to && daysIn({ from, to }) <= MAX_NUMBERS_DAYS, {
    error: `The first day must not be after the last one, and a period has at most ${MAX_NUMBERS_DAYS} days.`,
    path: ['from'],
  });
export type CutListAsked = z.output<typeof cutListAsked>;

export const listKinds = ['block', 'allow'] as const;
export type ListKind = (typeof listKinds)[number];

export const cutListAnswer = z.object({
  zone: z.string(),
  currency: z.string(),
  /** From the largest loss to the largest profit. */
  rows: z.array(
    z.object({
      value: z.string(),
      figures: figuresAnswer,
      verdict: verdictAnswer,
      /** The list of the source on which it is; empty: on none. */
      list: z.enum(['', ...listKinds]),
    }),
  ),
  /** Values that there are, also those that are not in the rows. */
  count: z.int(),
  /** Of all values of the source. */
  total: figuresAnswer,
  youngHours: z.object({ least: z.int(), most: z.int() }),
  /** The same rules on the first days of the period, and what the values that they cut did on the later days. */
  trial: z
    .object({
      /** First and last of the later days. */
      from: day,
      to: day,
      cut: z.int(),
      /** What cutting them saves on the later days: their loss, less the profit of those that earned. */
      savedMicros: microsText,
      /** Values that were cut and earned later. */
      mistakes: z.array(z.object({ value: z.string(), profitMicros: microsText })),
    })
    .nullable(),
});
export type CutListAnswer = z.infer<typeof cutListAnswer>;
export type CutListRow = CutListAnswer['rows'][number];

const MAX_LISTED_AT_ONCE = 1000;
const listed = z.object({
  value: z.string().min(1, 'Enter a value.').max(1000),
  /** Its profit in the period by which it was chosen; null where its cost is not known. */
  profitMicros: microsText.nullable().default(null),
  /** Why it is put on the list. */
  reason: z.string().trim().min(1, 'Enter a reason.').max(300, 'At most 300 characters.'),
});
export const listInput = z.object({
  sourceId: recordId,
  sub,
  list: z.enum(listKinds),
  values: z
    .array(listed)
    .min(1, 'Choose a value.')
    .max(MAX_LISTED_AT_ONCE, `Choose at most ${MAX_LISTED_AT_ONCE} values.`),
  /** Days of the period by which they were chosen. */
  days: z.number().int().min(1).max(MAX_NUMBERS_DAYS),
});
export type ListInput = z.output<typeof listInput>;

export const listEntry = z.object({
  id: recordId,
  sourceId: recordId,
  sub: z.string(),
  value: z.string(),
  list: z.enum(listKinds),
  reason: z.string(),
  /** What it lost or earned in a day before it was put on the list; null where that is not known. */
  profitPerDayMicros: microsText.nullable(),
  by: z.string(),
  at: isoTime,
  /** Empty and null while it is on the list. */
  removedBy: z.string(),
  removedAt: isoTime.nullable(),
});
export type ListEntry = z.infer<typeof listEntry>;

export const cutListEndpoints = {
  cutList: {
    method: 'post',
    path: '/reports/cut-list',
    group: 'Reports',
    summary:
      'Values of a source’s sub-ID with their verdicts, and what cutting would have done on later days.',
    least: 'viewer',
    body: cutListAsked,
    answer: cutListAnswer,
    refuses: ['numbers_building', 'numbers_away', 'question_too_long'],
  },
  listEntries: {
    method: 'get',
    path: '/list-entries',
    group: 'Reports',
    summary: 'Values on the block and allow lists of a source, including removed ones.',
    least: 'viewer',
    query: z.object({ sourceId: recordId }),
    answer: z.array(listEntry),
  },
  addToList: {
    method: 'post',
    path: '/list-entries',
    group: 'Reports',
    summary:
      'Put values on the block or allow list of a source. A value that is on a list already moves to this one.',
    least: 'editor',
    body: listInput,
    answer: z.array(listEntry),
  },
  removeFromList: {
    method: 'post',
    path: '/list-entries/remove',
    group: 'Reports',
    summary: 'Take values off the lists of a source. The entries stay in its history.',
    least: 'editor',
    body: z.object({ ids: z.array(recordId).min(1).max(MAX_LISTED_AT_ONCE) }),
    answer: z.array(listEntry),
  },
  verdictRules: {
    method: 'get',
    path: '/desk/verdict-rules',
    group: 'Desk',
    summary: 'When this desk says cut, keep, or bid more.',
    least: 'viewer',
    answer: verdictRules,
  },
  changeVerdictRules: {
    method: 'put',
    path: '/desk/verdict-rules',
    group: 'Desk',
    summary: 'Change when this desk says cut, keep, or bid more.',
    least: 'editor',
    body: verdictRules,
    answer: verdictRules,
  },
} as const satisfies Record<string, Endpoint>;
