/** How good the visits of a partner are: what looks wrong about them, how often, and which visits those are. */
import { z } from 'zod';
import type { Endpoint } from './endpoint.ts';
import { isoTime, recordId } from './primitives.ts';
import { daysIn, isDay } from '../time/index.ts';

export const qualityChecks = {
  bots: { label: 'Bots', meaning: 'Visits by programs, by their user agent. They do not count.' },
  listed: {
    label: 'Data centers',
    meaning: 'Visits from the addresses that you list under Bots in Settings. They do not count.',
  },
  same_visitor: {
    label: 'Same visitor',
    meaning: 'Visits with the same address and user agent as an earlier visit of this partner.',
  },
  fast: {
    label: 'Fast conversions',
    meaning:
      'Conversions less than 10 seconds after the visit. A person needs longer to read and fill in a form.',
  },
  rejected: {
    label: 'Rejected',
    meaning: 'Rejected conversions, out of all that the advertiser or a member has decided.',
  },
} as const;
export type QualityCheck = keyof typeof qualityChecks;
export const qualityCheckNames = Object.keys(qualityChecks) as [QualityCheck, ...QualityCheck[]];

/** A conversion is fast within so many seconds after its visit. */
export const FAST_SECONDS = 10;
const MAX_DAYS = 92;
const day = z.string().refine(isDay, 'Write a day as YYYY-MM-DD.');
const period = { from: day, to: day };
const isPeriod = (p: { from: string; to: string }): boolean => p.from <= p.to && daysIn(p) <= MAX_DAYS;
const periodMessage = `The first day must not be after the last one, and a period has at most ${MAX_DAYS} days.`;

export const partnerQuality = z.object({
  /** Without tests; bots included. */
  visits: z.int(),
  conversions: z.int(),
  checks: z.array(
    z.object({
      check: z.enum(qualityCheckNames),
      count: z.int(),
      /** Of so many visits or conversions. */
      of: z.int(),
      /** Empty, or why the count says little or nothing. */
      unknown: z.string(),
    }),
  ),
  /** Half of the conversions came sooner after their visit; null without any. */
  medianSeconds: z.number().nullable(),
});
export type PartnerQuality = z.infer<typeof partnerQuality>;

export const qualityVisit = z.object({
  id: recordId,
  at: isoTime,
  campaignName: z.string(),
  country: z.string(),
  os: z.string(),
  browser: z.string(),
  addressPrefix: z.string(),
  subs: z.record(z.string(), z.string()),
  /** What is wrong with it, in words. */
  why: z.string(),
});
export type QualityVisit = z.infer<typeof qualityVisit>;

export const partnerQualityEndpoints = {
  partnerQuality: {
    method: 'get',
    path: '/partners/{id}/quality',
    group: 'Reports',
    summary: 'What looks wrong about the visits of a partner, and how often.',
    least: 'viewer',
    query: z.object(period).refine(isPeriod, { error: periodMessage, path: ['from'] }),
    answer: partnerQuality,
    refuses: ['not_found'],
  },
  partnerQualityVisits: {
    method: 'get',
    path: '/partners/{id}/quality/visits',
    group: 'Reports',
    summary: 'The visits behind one of these figures, newest first.',
    least: 'viewer',
    query: z
      .object({ ...period, check: z.enum(qualityCheckNames) })
      .refine(isPeriod, { error: periodMessage, path: ['from'] }),
    answer: z.object({ rows: z.array(qualityVisit), isCut: z.boolean() }),
    refuses: ['not_found'],
  },
} as const satisfies Record<string, Endpoint>;
