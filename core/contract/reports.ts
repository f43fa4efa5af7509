/** Figures of a campaign, in the order of the screens. Money is micro-units of the desk's currency in decimal text. */
export const periods = ['today', '7d', '30d'] as const;
export type PeriodName = (typeof periods)[number];

export interface Figures {
  profitMicros: string;
  /** Share, 0.059 = +5.9 %; null when nothing was spent. */
  roi: number | null;
  spentMicros: string;
  botCostMicros: string;
  expectedMicros: string;
  earnedMicros: string;
  onHoldMicros: string;
  visits: number;
  unique: number;
  bots: number;
  repeats: number;
  tests: number;
  sentToOffer: number;
  conversions: number;
  cr: number | null;
  approval: number | null;
  paidPerVisitMicros: string | null;
  earnedPerVisitMicros: string | null;
  earnedPerOfferClickMicros: string | null;
  /** Sums that could not be converted for lack of a rate, by currency; they are not in the figures above. */
  unconverted: { currency: string; spentMicros: string; earnedMicros: string; onHoldMicros: string }[];
}

export interface CampaignFigures {
  campaignId: string;
  figures: Figures;
}

export interface CampaignsReport {
  period: PeriodName;
  from: string;
  to: string;
  zone: string;
  currency: string;
  rows: CampaignFigures[];
  total: Figures;
}

export interface DayFigures {
  day: string;
  figures: Figures;
}

export interface CampaignReport {
  period: PeriodName;
  /** First and last local day of the period, both included; `days` may begin earlier. */
  from: string;
  to: string;
  days: DayFigures[];
  total: Figures;
}

export interface Attention {
  code:
    | 'calls_for_repair'
    | 'parked_calls_out'
    | 'visits_no_conversion'
    | 'payout_differs'
    | 'quarantined_rows'
    | 'unrecorded_visits'
    | 'refused_calls'
    | 'broken_campaign';
  count: number;
  sentence: string;
  /** Route inside the web app that leads to what needs attention. */
  to: string;
}
