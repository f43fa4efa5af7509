/** Questions to the numbers index, and its answers. */
import { z } from 'zod';
import { groupingOf } from '../metrics/groupings.ts';
import { figureNames } from '../metrics/registry.ts';
import { daysIn, isDay } from '../time/index.ts';
import { figuresAnswer } from './reports.ts';

/** Longest period; a longer one is most likely a slip. */
export const MAX_NUMBERS_DAYS = 3660;
export const MAX_LEVELS = 4;
export const MAX_NUMBERS_ROWS = 500;
const MAX_VALUE_LENGTH = 1000;

const grouping = z
  .string()
  .max(100)
  .refine((name) => groupingOf(name) !== undefined, 'There is nothing of this name to break down by.');
const day = z.string().refine(isDay, 'Write a day as YYYY-MM-DD.');

export const numbersAsked = z
  .object({
    /** First and last day in the desk's zone, both included. */
    from: day,
    to: day,
    /** Each combination of their values is a row. */
    by: z.array(grouping).min(1).max(MAX_LEVELS),
    /** Only visits and conversions with these values: the rows under which a level opens. */
    under: z
      .array(z.object({ by: grouping, value: z.string().max(MAX_VALUE_LENGTH) }))
      .max(MAX_LEVELS)
      .default([]),
    /** Only rows whose last value, or its name, has this text in it. */
    search: z.string().trim().max(100).default(''),
    /** A figure, or empty for the values themselves. */
    sort: z.enum(['', ...figureNames]).default('visits'),
    isDescending: z.boolean().default(true),
    offset: z.number().int().min(0).default(0),
    limit: z.number().int().min(1).max(MAX_NUMBERS_ROWS).default(100),
  })
  .refine(({ from, to }) => from <= to && daysIn({ from, to }) <= MAX_NUMBERS_DAYS, {
    error: `The first day must not be after the last one, and a period has at most ${MAX_NUMBERS_DAYS} days.`,
    path: ['from'],
  });
export type NumbersAsked = z.output<typeof numbersAsked>;

export const numbersAnswer = z.object({
  zone: z.string(),
  currency: z.string(),
  rows: z.array(
    z.object({
      values: z.array(z.string()),
      /** What screens call them: the names of records, and the values as they stand. */
      names: z.array(z.string()),
      figures: figuresAnswer,
    }),
  ),
  /** Rows that there are, also those that are not in this page. */
  count: z.int(),
  /** Of all that is asked about, whatever is searched for. */
  total: figuresAnswer,
  /** Named sub-IDs of the desk. */
  subs: z.array(z.string()),
  /** When the last events were taken in. */
  fedAt: z.string(),
});
export type NumbersAnswer = z.infer<typeof numbersAnswer>;

/** While the index is built anew, nothing can be asked; `ofAbout` is a guess. */
export const numbersState = z.object({
  state: z.enum(['ready', 'building', 'away']),
  visits: z.int(),
  ofAbout: z.int(),
});
export type NumbersState = z.infer<typeof numbersState>;
