/** Endpoints of figures and of what needs attention; part of the table in api.ts. */
import { z } from 'zod';
import { attentionItem, campaignReport, campaignsReport, periods } from './reports.ts';
import { type Endpoint } from './endpoint.ts';

/** Furthest step back of a report. */
export const MAX_STEPS_BACK = 60;
const periodQuery = z.object({
  period: z.enum(periods).default('7d'),
  /** So many whole periods earlier. */
  back: z.coerce.number().int().min(0).max(MAX_STEPS_BACK).default(0),
});

export const reportEndpoints = {
  campaignsReport: {
    method: 'get',
    path: '/reports/campaigns',
    group: 'Reports',
    summary: 'Figures of all campaigns over a period.',
    least: 'viewer',
    query: periodQuery,
    answer: campaignsReport,
  },
  campaignReport: {
    method: 'get',
    path: '/reports/campaigns/{id}',
    group: 'Reports',
    summary: 'Figures of one campaign, day by day.',
    least: 'viewer',
    query: periodQuery,
    answer: campaignReport,
    refuses: ['not_found'],
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
