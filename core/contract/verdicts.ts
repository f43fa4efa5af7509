/** What to do about a campaign, a site or any other row of figures, and what that rests on. */
import { z } from 'zod';
import { microsText } from './primitives.ts';

/** `no_cost` and `no_payout`: something that the verdict needs isn't known. */
export const verdictKinds = [
  'cut',
  'bid_down',
  'keep',
  'bid_up',
  'too_early',
  'no_cost',
  'no_payout',
] as const;
export type VerdictKind = (typeof verdictKinds)[number];

export const verdictAnswer = z.object({
  kind: z.enum(verdictKinds),
  /** Visits that are old enough to have converted; everything below is of them. */
  visits: z.int(),
  spentMicros: microsText,
  expectedMicros: microsText,
  conversions: z.int(),
  /** What a conversion pays on average; null while nobody knows. */
  payoutMicros: microsText.nullable(),
  /** Cost ÷ payout. */
  spentPayouts: z.number().nullable(),
  /** Conversions that so much cost brings on average in everything that was asked about. */
  usualConversions: z.number().nullable(),
  /** Chance that its visitors earn more than they cost, from 0 to 1. */
  chance: z.number().nullable(),
  /** Visits that a verdict still needs, about; only for `too_early`. */
  moreVisits: z.int().nullable(),
  /** Bid at which revenue covers cost, and the one that leaves the wanted ROI, in the unit that follows. */
  breakEvenMicros: microsText.nullable(),
  bidMicros: microsText.nullable(),
  /** Unit of both bids: as the source bills, where all visits are of one source; else per visit in the desk's currency. */
  bidUnit: z.object({ currency: z.string(), visits: z.int() }),
});
export type VerdictAnswer = z.infer<typeof verdictAnswer>;

/** When a verdict is given; each desk may set its own. */
export const verdictRules = z.object({
  /** Cut below this chance of profit, in percent. */
  cutBelow: z.number().min(0, 'From 0 to 50.').max(50, 'From 0 to 50.').default(5),
  /** Never cut before so many payouts are spent. */
  cutAfterPayouts: z.number().min(0.1, 'From 0.1 to 100.').max(100, 'From 0.1 to 100.').default(1),
  /** Cut without a conversion when so many payouts are spent, whatever the chance is. */
  noConversionPayouts: z.number().min(0.1, 'From 0.1 to 100.').max(100, 'From 0.1 to 100.').default(2),
  /** Cut at this ROI or below, in percent, once as much is spent as for *keep*; null: ROI alone cuts nothing. */
  cutRoi: z.number().min(-100, 'From -100 to 0.').max(0, 'From -100 to 0.').nullable().default(null),
  /** Bid up above this chance of profit, in percent. */
  bidUpAbove: z.number().min(50, 'From 50 to 100.').max(100, 'From 50 to 100.').default(95),
  /** Say *keep* or *bid down* when so many payouts are spent. */
  settledPayouts: z.number().min(0.1, 'From 0.1 to 1000.').max(1000, 'From 0.1 to 1000.').default(5),
  /** ROI that suggested bids leave, in percent. */
  wantedRoi: z.number().min(0, 'From 0 to 1000.').max(1000, 'From 0 to 1000.').default(0),
});
export type VerdictRules = z.output<typeof verdictRules>;
