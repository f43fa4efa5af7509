/** Figures of a campaign, in the order of the screens. Money is micro-units of the desk's currency in decimal text. */
import { z } from 'zod';
import {
  figureDefinitions,
  figureNames,
  type FigureDefinition,
  type FigureName,
  type FigureValue,
} from '../metrics/registry.ts';
import { microsText } from './primitives.ts';
import { verdictAnswer } from './verdicts.ts';

type FigureShape = { [N in FigureName]: z.ZodType<FigureValue<N>> };

/** As the registry has it: amounts are decimal text, what divides may be empty. */
function schemaOf(figure: FigureDefinition): z.ZodType {
  const { unit } = figure;
  if (unit === 'count') return z.int();
  if (unit === 'share' || unit === 'return') return z.number().nullable();
  return unit === 'each' || figure.mayBeUnknown ? microsText.nullable() : microsText;
}
const figureShape = Object.fromEntries(
  figureNames.map((name) => {
    const figure = figureDefinitions[name];
    return [name, schemaOf(figure).meta({ title: figure.label, description: figure.meaning })];
  }),
) as FigureShape;

export const figuresAnswer = z.object({
  ...figureShape,
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

/** Of one event type. */
export const eventSumsAnswer = z.object({
  eventTypeId: z.string(),
  /** Pending and approved conversions. */
  count: z.int(),
  /** Their expected revenue, whether the type counts as revenue or not. */
  revenueMicros: microsText,
  /** What partners get for them. */
  partnerMicros: microsText,
});
export type EventSums = z.infer<typeof eventSumsAnswer>;

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
      /** null unless it is asked for. */
      verdict: verdictAnswer.nullable(),
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

export const whatChanged = z.object({
  /** Local days that are compared. */
  day: z.string(),
  before: z.string(),
  profitMicros: microsText.nullable(),
  profitBeforeMicros: microsText.nullable(),
  /** Those whose profit changed most, the largest change first; small changes are left out. */
  campaigns: z.array(
    z.object({
      campaignId: z.string(),
      name: z.string(),
      changeMicros: microsText,
      /** The value that explains most of the change; null where none stands out. */
      why: z
        .object({
          /** Whose value it is: a column, or a sub-ID. */
          by: z.string(),
          value: z.string(),
          name: z.string(),
          changeMicros: microsText,
          /** Part of the change, from 0 to 1 and above where others went the other way. */
          share: z.number(),
        })
        .nullable(),
    }),
  ),
});
export type WhatChanged = z.infer<typeof whatChanged>;

export const reportFields = z.object({
  figures: z.array(
    z.object({
      /** As answers name it. */
      name: z.string(),
      label: z.string(),
      meaning: z.string(),
      /** `money` and `each` are micro-units in the desk's currency; `share` and `return` are 0.02 for 2 %. */
      unit: z.enum(['count', 'money', 'share', 'return', 'each']),
    }),
  ),
  dimensions: z.array(
    z.object({
      name: z.string(),
      label: z.string(),
      /** `value` stands for itself; otherwise the value is the ID of such a record. */
      of: z.string(),
    }),
  ),
});
export type ReportFields = z.infer<typeof reportFields>;

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
    'servers_behind',
    'page_without_clicks',
    'page_needs_fixing',
    'feed_failed',
    'feed_late',
    'feed_waiting',
    'feed_moved',
    'rates_late',
    'offer_ready',
    'watch_asks',
    'partner_asks',
    'signal',
    'notices_given_up',
  ]),
  count: z.int(),
  sentence: z.string(),
  /** Route inside the web app that leads to what needs attention. */
  to: z.string(),
});
export type Attention = z.infer<typeof attentionItem>;

export const decisionSubjects = ['offer', 'source', 'network'] as const;
export type DecisionSubject = (typeof decisionSubjects)[number];

const decisionSums = {
  conversions: z.int(),
  approved: z.int(),
  rejected: z.int(),
  reversed: z.int(),
  pending: z.int(),
  /** Median time from the visit to the conversion, in hours; null where no conversion has a visit. */
  hoursToConvert: z.number().nullable(),
  /** Median time from the conversion to the network's decision, in hours, of those that were pending; null for none. */
  hoursToDecide: z.number().nullable(),
};
/** How conversions of a period were decided, by the day of the conversion in the network's time zone. */
export const decisionsReport = z.object({
  from: z.string(),
  to: z.string(),
  rows: z.array(
    z.object({
      id: z.string(),
      name: z.string(),
      ...decisionSums,
      /** By the first day of the week, a Monday; weeks without a conversion are left out. */
      weeks: z.array(z.object({ week: z.string(), ...decisionSums })),
    }),
  ),
});
export type DecisionsReport = z.infer<typeof decisionsReport>;
export type DecisionRow = DecisionsReport['rows'][number];
