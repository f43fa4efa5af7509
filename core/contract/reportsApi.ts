/** Endpoints of figures and of what needs attention; part of the table in api.ts. */
import { z } from 'zod';
import { daysIn, isDay } from '../time/index.ts';
import {
  attentionItem,
  campaignReport,
  campaignsReport,
  decisionsReport,
  decisionSubjects,
  reportFields,
  whatChanged,
} from './reports.ts';
import { type Endpoint } from './endpoint.ts';
import { numbersAnswer, numbersAsked, numbersState } from './numbers.ts';

/** Longest period of a report. */
export const MAX_PERIOD_DAYS = 400;
/** Most days of a trend. */
export const MAX_TREND_DAYS = 31;
const day = z.string().refine(isDay, 'Write a day as YYYY-MM-DD.');
/** First and last day in the desk's zone, both included; without them the last seven days. */
const periodQuery = {
  from: day.optional(),
  to: day.optional(),
};
const isPeriod = ({ from, to }: { from?: string | undefined; to?: string | undefined }): boolean =>
  from === undefined || to === undefined || (from <= to && daysIn({ from, to }) <= MAX_PERIOD_DAYS);
const notAPeriod = {
  error: `The first day must not be after the last one, and a period has at most ${MAX_PERIOD_DAYS} days.`,
  path: ['from'],
};

export const reportEndpoints = {
  campaignsReport: {
    method: 'get',
    path: '/reports/campaigns',
    group: 'Reports',
    summary: 'Figures of all campaigns over a period.',
    least: 'viewer',
    query: z
      .object({
        ...periodQuery,
        trend: z.coerce.number().int().min(0).max(MAX_TREND_DAYS).default(0),
        verdicts: z.stringbool().default(false),
      })
      .refine(isPeriod, notAPeriod),
    answer: campaignsReport,
    refuses: ['numbers_building', 'numbers_away', 'question_too_long'],
  },
  campaignReport: {
    method: 'get',
    path: '/reports/campaigns/{id}',
    group: 'Reports',
    summary: 'Figures of one campaign, day by day.',
    least: 'viewer',
    query: z.object(periodQuery).refine(isPeriod, notAPeriod),
    answer: campaignReport,
    refuses: ['not_found', 'numbers_building', 'numbers_away', 'question_too_long'],
  },
  numbersReport: {
    method: 'post',
    path: '/reports/numbers',
    group: 'Reports',
    summary: 'Figures by any values: campaign, site, country, hour and so on, also several together.',
    least: 'viewer',
    body: numbersAsked,
    answer: numbersAnswer,
    refuses: ['numbers_building', 'numbers_away', 'question_too_long'],
  },
  numbersState: {
    method: 'get',
    path: '/reports/numbers/state',
    group: 'Reports',
    summary: 'Whether the index behind the numbers is ready, and how far it is while it is built.',
    least: 'viewer',
    answer: numbersState,
  },
  whatChanged: {
    method: 'get',
    path: '/reports/what-changed',
    group: 'Reports',
    summary:
      'Which campaigns changed most from the same weekday a week before to yesterday, and the value that explains it. Computed once in five minutes.',
    least: 'viewer',
    answer: whatChanged,
    refuses: ['numbers_building', 'numbers_away', 'question_too_long'],
  },
  decisionsReport: {
    method: 'get',
    path: '/reports/decisions',
    group: 'Reports',
    summary:
      'How conversions of a period were decided, by offer, source or network and by week: approved, rejected, reversed, and how long it took.',
    least: 'viewer',
    query: z
      .object({ ...periodQuery, by: z.enum(decisionSubjects).default('offer') })
      .refine(isPeriod, notAPeriod),
    answer: decisionsReport,
  },
  reportFields: {
    method: 'get',
    path: '/reports/fields',
    group: 'Reports',
    summary: 'The figures and dimensions that reports have, with their meanings.',
    least: 'viewer',
    answer: reportFields,
  },
  attention: {
    method: 'get',
    path: '/attention',
    group: 'Reports',
    summary: 'What needs attention.',
    least: 'viewer',
    answer: z.array(attentionItem),
  },
} as const satisfies Record<string, Endpoint>;
