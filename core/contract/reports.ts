/** Figures of a campaign, in the order of the screens. Money is micro-units of the desk's currency in decimal text. */
import { z } from 'zod';
import { microsText } from './primitives.ts';

export const figuresAnswer = z.object({
  /** Null when the cost of no visit is known. */
  profitMicros: microsText.nullable(),
  /** Share, 0.059 = +5.9 %; null when nothing was spent, or the cost is not known. */
  roi: z.number().nullable(),
  spentMicros: microsText,
  botCostMicros: microsText,
  /** Visits whose cost is not known; they are in no sum of cost. */
  withoutCost: z.int(),
  expectedMicros: microsText,
  earnedMicros: microsText,
  onHoldMicros: microsText,
  visits: z.int(),
  unique: z.int(),
  bots: z.int(),
  repeats: z.int(),
  tests: z.int(),
  sentToPage: z.int(),
  /** Visits with a click on a button of their page. */
  buttonClicks: z.int(),
  pageCtr: z.number().nullable(),
  /** Direct visits and visits with a button click. */
  sentToOffer: z.int(),
  conversions: z.int(),
  cr: z.number().nullable(),
  approved: z.int(),
  /** Approved, rejected and reversed. */
  decided: z.int(),
  /** Approved ÷ decided; null while nothing is decided. */
  approval: z.number().nullable(),
  /** The approval rates by which money on hold is expected, and what each rests on. */
  holdRates: z.array(z.object({ basis: z.string(), approved: z.int(), decided: z.int() })),
  paidPerVisitMicros: microsText.nullable(),
  earnedPerVisitMicros: microsText.nullable(),
  earnedPerOfferClickMicros: microsText.nullable(),
  /** Sums that could not be converted for lack of a rate, by currency; they are not in the figures above. */
  unconverted: z.array(
    z.object({
      currency: z.string(),
      spentMicros: microsText,
      earnedMicros: microsText,
      onHoldMicros: microsText,
    }),
  ),
});
export type Figures = z.infer<typeof figuresAnswer>;

export const campaignsReport = z.object({
  from: z.string(),
  to: z.string(),
  zone: z.string(),
  currency: z.string(),
  rows: z.array(
    z.object({
      campaignId: z.string(),
      figures: figuresAnswer,
      /** Profit of each of the days asked for, up to the last one of the period; null where the cost is not known. */
      trend: z.array(microsText.nullable()),
    }),
  ),
  total: figuresAnswer,
});
export type CampaignsReport = z.infer<typeof campaignsReport>;
export type CampaignFigures = CampaignsReport['rows'][number];

export const campaignReport = z.object({
  /** First and last local day of the period, both included; `days` may begin earlier. */
  from: z.string(),
  to: z.string(),
  days: z.array(z.object({ day: z.string(), figures: figuresAnswer })),
  total: figuresAnswer,
  /** Counted by the impression pixel in the period. */
  impressions: z.int(),
});
export type CampaignReport = z.infer<typeof campaignReport>;
export type DayFigures = CampaignReport['days'][number];

export const attentionItem = z.object({
  code: z.enum([
    'needs_repair',
    'postbacks_given_up',
    'unknown_keys',
    'visits_no_conversion',
    'payout_differs',
    'quarantined_rows',
    'unrecorded_visits',
    'refused_postbacks',
    'broken_campaign',
    'page_without_clicks',
    'page_needs_fixing',
  ]),
  count: z.int(),
  sentence: z.string(),
  /** Route inside the web app that leads to what needs attention. */
  to: z.string(),
});
export type Attention = z.infer<typeof attentionItem>;
