/** What screens show of the recent past of one campaign, from at most its newest visits. */
import { z } from 'zod';
import type { Endpoint } from './endpoint.ts';
import { isoDay } from './texts.ts';
import { visitFates } from '../visits/index.ts';

/** Newest visits that are read; older ones of the period are left out, and the answer says so. */
export const MAX_RECENT_VISITS = 10_000;
/** Values of one field, the most frequent first. */
export const MAX_RECENT_VALUES = 100;
/** Fields that a branch can ask for, with the sub-IDs of one source. */
const MAX_MIX_FIELDS = 60;

export const recentQuery = z.object({
  /** First and last day in the desk’s zone; left out: the last 7 days. */
  from: isoDay.optional(),
  to: isoDay.optional(),
});

export const recentWay = z.object({
  branchId: z.string(),
  pairingId: z.string(),
  /** Empty for a direct link. */
  landingId: z.string(),
  /** Empty when the visitor was sent to no offer. */
  offerId: z.string(),
  fate: z.enum(visitFates),
  visits: z.int(),
  /** Visits with a button click. */
  clicked: z.int(),
  /** Visits with a conversion that counts. */
  converted: z.int(),
});
export type RecentWay = z.infer<typeof recentWay>;

export const recentCampaign = z.object({
  /** Without bots, repeats and tests. */
  visits: z.int(),
  /** Older visits of the period were not read. */
  isCut: z.boolean(),
  ways: z.array(recentWay),
  /** Offers of the desk that a cap keeps visitors from now. */
  cappedOfferIds: z.array(z.string()),
});
export type RecentCampaign = z.infer<typeof recentCampaign>;

export const recentValues = z.object({
  /** The campaign has no visits yet: these are of all campaigns of its source. */
  isOfSource: z.boolean(),
  fields: z.array(
    z.object({
      /** As conditions name it. */
      field: z.string(),
      values: z.array(z.object({ value: z.string(), visits: z.int() })),
    }),
  ),
});
export type RecentValues = z.infer<typeof recentValues>;

export const mixQuery = z.object({
  /** Fields of conditions, comma-separated. */
  fields: z
    .string()
    .max(4000)
    .default('')
    .transform((list) => [...new Set(list.split(',').filter(Boolean))])
    .pipe(z.array(z.string().max(80)).max(MAX_MIX_FIELDS)),
});
/** Real visits by the fields that were asked for; each column has its values once. */
export const recentMix = z.object({
  /** When each visit was, in ms since 1970. */
  at: z.array(z.number()),
  columns: z.array(
    z.object({
      field: z.string(),
      values: z.array(z.string()),
      /** For each visit the place of its value. */
      rows: z.array(z.int()),
    }),
  ),
  /** What each visit cost as a decimal number; empty: not known. */
  costs: z.object({ currency: z.string(), values: z.array(z.string()), rows: z.array(z.int()) }),
});
export type RecentMix = z.infer<typeof recentMix>;

export const recentEndpoints = {
  recentCampaign: {
    method: 'get',
    path: '/campaigns/{id}/recent',
    group: 'Reports',
    summary: `Which way the newest visits of a campaign went, at most ${MAX_RECENT_VISITS}.`,
    least: 'viewer',
    query: recentQuery,
    answer: recentCampaign,
  },
  recentValues: {
    method: 'get',
    path: '/campaigns/{id}/recent-values',
    group: 'Reports',
    summary: 'Values that the newest visits of a campaign had, by the fields of conditions.',
    least: 'viewer',
    answer: recentValues,
  },
  recentMix: {
    method: 'get',
    path: '/campaigns/{id}/mix',
    group: 'Reports',
    summary: 'The newest visits of a campaign by some fields, for a rehearsal.',
    least: 'viewer',
    query: mixQuery,
    answer: recentMix,
  },
} as const satisfies Record<string, Endpoint>;
