/** Questions to the numbers index, and its answers. */
import { z } from 'zod';
import { groupingOf } from '../metrics/groupings.ts';
import { figureNames, revenueBases, type FigureName, type RevenueBasis } from '../metrics/registry.ts';
import { daysIn, isDay } from '../time/index.ts';
import { currencyCode } from './primitives.ts';
import { eventSumsAnswer, figuresAnswer } from './reports.ts';
import { orEmpty } from './texts.ts';
import { verdictAnswer } from './verdicts.ts';

/** Longest period; a longer one is most likely a slip. */
export const MAX_NUMBERS_DAYS = 3660;
export const MAX_LEVELS = 4;
/** Of one answer: what a screen loads of a level. */
export const MAX_NUMBERS_ROWS = 500;
/** Of one answer for a file, which is read answer by answer. */
export const MAX_EXPORT_ROWS = 5000;
const MAX_VALUE_LENGTH = 1000;
export const MAX_VALUE_FILTERS = 20;
const MAX_FILTER_VALUES = 1000;
export const MAX_FIGURE_FILTERS = 10;

const grouping = z
  .string()
  .max(100)
  .refine((name) => groupingOf(name) !== undefined, 'There is nothing of this name to break down by.');
const day = z.string().refine(isDay, 'Write a day as YYYY-MM-DD.');
const value = z.string().max(MAX_VALUE_LENGTH);
const isPeriod = ({ from, to }: { from: string; to: string }): boolean =>
  from <= to && daysIn({ from, to }) <= MAX_NUMBERS_DAYS;
const periodMessage = `The first day must not be after the last one, and a period has at most ${MAX_NUMBERS_DAYS} days.`;

/** How a value filter compares; several values: any of them. Without regard to case only in `contains`. */
export const valueComparisons = ['is', 'not', 'contains'] as const;
export const valueFilter = z.object({
  by: grouping,
  is: z.enum(valueComparisons),
  values: z.array(value).min(1, 'Choose a value.').max(MAX_FILTER_VALUES),
});
export type ValueFilter = z.output<typeof valueFilter>;

/** One of the registry, `own_<ID>` of the desk, or `event_<ID of the event type>_<count, revenue, rate, cost or margin>`. */
const madeFigure = /^(own_[0-9A-Z]{26}|event_[0-9A-Z]{26}_(count|revenue|rate|cost|margin))$/;
export const anyFigure = z
  .string()
  .refine(
    (name) => (figureNames as string[]).includes(name) || madeFigure.test(name),
    'There is no figure of this name.',
  );

export const figureComparisons = ['<', '<=', '=', '!=', '>=', '>'] as const;
/** Amounts are in the currency of the answer, shares as 0.02 for 2 %. A figure that is empty meets no filter. */
export const figureFilter = z.object({
  figure: anyFigure,
  is: z.enum(figureComparisons),
  than: z.number(),
});
export type FigureFilter = z.output<typeof figureFilter>;

export const SORT_BY_VERDICT = 'verdict';
export const numbersAsked = z
  .object({
    /** First and last day in the desk's zone, both included. */
    from: day,
    to: day,
    /** Each combination of their values is a row. */
    by: z.array(grouping).min(1).max(MAX_LEVELS),
    /** Only visits and conversions with these values: the rows under which a level opens. */
    under: z
      .array(z.object({ by: grouping, value }))
      .max(MAX_LEVELS)
      .default([]),
    /** Only visits and conversions that meet all of these; they narrow the total as well. */
    only: z.array(valueFilter).max(MAX_VALUE_FILTERS).default([]),
    /** Only rows whose figures meet all of these; other rows are in `rest`. */
    having: z.array(figureFilter).max(MAX_FIGURE_FILTERS).default([]),
    /** The day by which conversions are counted: of their visit, or their own. Verdicts go by the visit's day only. */
    dayOf: z.enum(['visit', 'conversion']).default('visit'),
    /** What counts as revenue in profit and what follows from it. Verdicts always go by expected revenue. */
    basis: z.enum(Object.keys(revenueBases) as [RevenueBasis, ...RevenueBasis[]]).default('expected'),
    /** In which amounts are: converted by the rate of each visit's and conversion's own day. Empty: the desk's currency. */
    currency: orEmpty(currencyCode).default(''),
    /** Another period, whose figures stand beside. */
    against: z
      .object({ from: day, to: day })
      .refine(isPeriod, { error: periodMessage, path: ['from'] })
      .nullable()
      .default(null),
    /** Exact times instead of those days, in ms since 1970; the second one is not in it. */
    between: z
      .object({ fromMs: z.int(), toMs: z.int() })
      .refine((b) => b.fromMs < b.toMs, 'The end must come after the beginning.')
      .nullable()
      .default(null),
    /** Whether each row gets a verdict. */
    verdicts: z.boolean().default(false),
    /** Figures are of visits that are old enough for a verdict; without verdicts of all. */
    onlyMature: z.boolean().default(false),
    /**
     * As things stood when this day began: later conversions are left out, and verdicts go by the age that visits had then.
     * Statuses and amounts are those of now.
     */
    asOf: day.nullable().default(null),
    /**
     * The moment by which visits are old enough for a verdict, in ms since 1970; null: now. `isPast`: conversions and costs are
     * those that were booked by then.
     */
    moment: z.object({ ms: z.int(), isPast: z.boolean() }).nullable().default(null),
    /** Only rows whose last value, or its name, has this text in it. */
    search: z.string().trim().max(100).default(''),
    /**
     * A figure, also one of an event type or the desk’s own; `verdict`: what loses most surely first, or by cost where no
     * verdicts are asked for; empty: the values themselves.
     */
    sort: z.union([z.literal(''), z.literal(SORT_BY_VERDICT), anyFigure]).default('visits'),
    isDescending: z.boolean().default(true),
    offset: z.number().int().min(0).default(0),
    limit: z.number().int().min(1).max(MAX_EXPORT_ROWS).default(100),
  })
  .refine(isPeriod, { error: periodMessage, path: ['from'] });
export type NumbersAsked = z.output<typeof numbersAsked>;
/** As the server itself asks. `figures`: the only ones that its rows and totals have. */
export interface NumbersQuestion extends NumbersAsked {
  figures?: readonly FigureName[];
}

export const numbersAnswer = z.object({
  zone: z.string(),
  currency: z.string(),
  rows: z.array(
    z.object({
      values: z.array(z.string()),
      /** What screens call them: the names of records, and the values as they stand. */
      names: z.array(z.string()),
      figures: figuresAnswer,
      /** By event type; those that have not come are left out. */
      events: z.array(eventSumsAnswer),
      /** Of the same values in the other period; null where no other one was asked for. */
      before: figuresAnswer.nullable(),
      verdict: verdictAnswer.nullable(),
    }),
  ),
  /** Rows that there are, also those that are not in this page. */
  count: z.int(),
  /** Of all that is asked about, whatever is searched for. */
  total: figuresAnswer,
  totalEvents: z.array(eventSumsAnswer),
  totalBefore: figuresAnswer.nullable(),
  /** Of rows that aren't in this page or the pages before it, or that filters leave out; null where there are none. */
  rest: figuresAnswer.nullable(),
  /** Visits of the last hours that verdicts leave out: the time within which most conversions come; null without verdicts. */
  youngHours: z.object({ least: z.int(), most: z.int() }).nullable(),
  /** Named sub-IDs of the desk. */
  subs: z.array(z.string()),
  /** Visits and conversions name more sub-IDs and extras than a report can have; those that came last are left out. */
  hasMoreSubs: z.boolean(),
  /** Currencies that amounts can be asked for in: the desk's, and those that it has rates of. */
  currencies: z.array(z.string()),
  /** Extras of the desk's conversions. */
  extras: z.array(z.string()),
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
