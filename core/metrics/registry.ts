/**
 * The figures: each with its name, label, meaning, and the sums that it is made of. Reports, screens, exports and the API
 * read this list and no other. To add a figure, add one entry here, and, if it needs a new sum, that sum.
 */

/** Counts that add up over campaigns, days and values of any dimension. */
export type CountSum =
  | 'visits'
  | 'unique'
  | 'bots'
  | 'repeats'
  | 'tests'
  | 'sentToPage'
  | 'buttonClicks'
  | 'sentToOffer'
  | 'withoutCost'
  | 'withCost'
  | 'conversions'
  | 'approved'
  | 'decided';
/**
 * Amounts in the desk's currency that add up likewise. `revenue` is on the basis that is asked for. `profit`, `knownRevenue` and
 * `knownSpent` leave out what has no known cost.
 */
export type AmountSum =
  | 'spent'
  | 'partner'
  | 'margin'
  | 'botCost'
  | 'modelCost'
  | 'linkCost'
  | 'feedCost'
  | 'fileCost'
  | 'expected'
  | 'estimated'
  | 'earned'
  | 'onHold'
  | 'revenue'
  | 'profit'
  | 'knownRevenue'
  | 'knownSpent';

/** What counts as revenue in profit, ROI, ROAS and what is earned per visit; everything else is the same on each basis. */
export const revenueBases = {
  expected: { label: 'expected', meaning: 'Earned revenue plus revenue on hold × approval rate.' },
  earned: { label: 'earned', meaning: 'Revenue of approved conversions only.' },
  all: { label: 'earned + on hold', meaning: 'Earned revenue plus all revenue on hold.' },
} as const;
export type RevenueBasis = keyof typeof revenueBases;

/** How a figure is made, and so in which unit it is: a division by zero is empty. */
export type FigureMade =
  | { readonly unit: 'count'; readonly of: CountSum }
  | { readonly unit: 'money'; readonly of: AmountSum }
  /** Of two counts: 0.02 is 2 %. */
  | { readonly unit: 'share'; readonly of: CountSum; readonly by: CountSum }
  /** Of two amounts. */
  | { readonly unit: 'return'; readonly of: AmountSum; readonly by: AmountSum }
  /** Money for each one, or for each `per` of them. */
  | { readonly unit: 'each'; readonly of: AmountSum; readonly by: CountSum; readonly per?: number };

export type FigureDefinition = FigureMade & {
  /** As screens name it, and as narrow columns do. */
  readonly label: string;
  readonly short: string;
  /** One sentence. */
  readonly meaning: string;
  /** Empty also when its sums are there: nothing of it is known. */
  readonly mayBeUnknown?: true;
};

const count = (of: CountSum, label: string, meaning: string, short = label) =>
  ({ unit: 'count', of, label, short, meaning }) as const;
const money = (of: AmountSum, label: string, meaning: string) =>
  ({ unit: 'money', of, label, short: label, meaning }) as const;
const share = (of: CountSum, by: CountSum, label: string, meaning: string) =>
  ({ unit: 'share', of, by, label, short: label, meaning }) as const;
const each = (of: AmountSum, by: CountSum, label: string, short: string, meaning: string) =>
  ({ unit: 'each', of, by, label, short, meaning }) as const;

/** By the name that answers give it; amounts of money are micro-units in decimal text. */
export const figureDefinitions = {
  profitMicros: {
    ...money(
      'profit',
      'Profit',
      'Revenue on the basis chosen (expected, unless you change it) minus cost. Empty when the cost of no visit is known.',
    ),
    mayBeUnknown: true,
  },
  roi: {
    unit: 'return',
    of: 'profit',
    by: 'knownSpent',
    label: 'ROI',
    short: 'ROI',
    meaning: 'Profit ÷ cost. Empty when nothing was spent or the cost is not known.',
  },
  roas: {
    unit: 'return',
    of: 'knownRevenue',
    by: 'knownSpent',
    label: 'ROAS',
    short: 'ROAS',
    meaning: 'Revenue ÷ cost. Empty when nothing was spent or the cost is not known.',
  },
  spentMicros: money(
    'spent',
    'Spent',
    'Cost of all visits whose cost is known, bots included, plus partner payouts.',
  ),
  partnerMicros: money(
    'partner',
    'Partner payouts',
    'What partners get for their conversions, pending and approved. It is a part of spent.',
  ),
  marginMicros: money('margin', 'Margin', 'Revenue minus partner payouts.'),
  marginShare: {
    unit: 'return',
    of: 'margin',
    by: 'revenue',
    label: 'Margin share',
    short: 'Margin %',
    meaning: 'Margin ÷ revenue. Empty when there is no revenue.',
  },
  botCostMicros: money('botCost', 'Bot cost', 'Cost of visits by bots.'),
  estimatedCostMicros: money('modelCost', 'Estimated cost', 'Cost by the cost model of the campaign.'),
  linkCostMicros: money('linkCost', 'Cost from links', 'Cost that the source told in the tracking link.'),
  feedCostMicros: money('feedCost', 'Cost from feeds', 'Cost that a feed of the source told.'),
  fileCostMicros: money('fileCost', 'Cost from files', 'Cost from files and cost that was added by hand.'),
  withoutCost: count('withoutCost', 'Without cost', 'Visits whose cost is not known.'),
  expectedMicros: money('expected', 'Expected', 'Earned revenue plus revenue on hold × approval rate.'),
  estimatedMicros: money(
    'estimated',
    'Estimated revenue',
    'The part of expected revenue that a feed has told only as an estimate. The final amount is still to come.',
  ),
  estimatedShare: {
    unit: 'return',
    of: 'estimated',
    by: 'expected',
    label: 'Estimated share',
    short: 'Est. share',
    meaning: 'Estimated revenue ÷ expected revenue. Empty when no revenue is expected.',
  },
  earnedMicros: money('earned', 'Earned', 'Revenue of approved conversions.'),
  onHoldMicros: money('onHold', 'On hold', 'Revenue of pending conversions.'),
  visits: count('visits', 'Visits', 'Visits without bots, repeats and tests.'),
  unique: count('unique', 'Unique', 'Visits of visitors who were new to the campaign.'),
  bots: count('bots', 'Bots', 'Visits by bots.'),
  repeats: count('repeats', 'Repeats', 'Visits with a source click ID that came before.'),
  tests: count('tests', 'Tests', 'Test visits.'),
  sentToPage: count('sentToPage', 'Sent to page', 'Visits that were sent to a landing page.'),
  buttonClicks: count('buttonClicks', 'Button clicks', 'Visits with a click on a button of their page.'),
  pageCtr: share('buttonClicks', 'sentToPage', 'Page CTR', 'Button clicks ÷ sent to page.'),
  sentToOffer: count('sentToOffer', 'Sent to offer', 'Direct visits and visits with a button click.'),
  conversions: count(
    'conversions',
    'Conversions',
    'Pending and approved conversions of event types that count.',
    'Conv.',
  ),
  cr: share('conversions', 'visits', 'CR', 'Conversions ÷ visits.'),
  approved: count('approved', 'Approved', 'Approved conversions.'),
  decided: count('decided', 'Decided', 'Approved, rejected and reversed conversions.'),
  approval: share('approved', 'decided', 'Approval', 'Approved ÷ decided. Empty while nothing is decided.'),
  paidPerVisitMicros: each(
    'spent',
    'withCost',
    'Paid per visit',
    'Paid/visit',
    'Cost ÷ visits whose cost is known.',
  ),
  earnedPerVisitMicros: each('revenue', 'visits', 'Earned per visit', 'Earned/visit', 'Revenue ÷ visits.'),
  earnedPerOfferClickMicros: each(
    'revenue',
    'sentToOffer',
    'Earned per offer click',
    'Earned/offer click',
    'Revenue ÷ visits sent to the offer.',
  ),
  earnedPerThousandMicros: {
    unit: 'each',
    of: 'revenue',
    by: 'visits',
    per: 1000,
    label: 'Earned per 1 000 visits',
    short: 'Earned/1 000',
    meaning: 'Revenue ÷ visits × 1 000.',
  },
} as const satisfies Record<string, FigureDefinition>;

export type FigureName = keyof typeof figureDefinitions;
export const figureNames = Object.keys(figureDefinitions) as FigureName[];

type MadeOf<N extends FigureName> = (typeof figureDefinitions)[N];
/** What a figure's value is by its unit; a figure that divides may be empty. */
export type FigureValue<N extends FigureName> =
  MadeOf<N> extends { unit: 'count' }
    ? number
    : MadeOf<N> extends { unit: 'share' | 'return' }
      ? number | null
      : MadeOf<N> extends { unit: 'each' } | { mayBeUnknown: true }
        ? string | null
        : string;
export type FigureValues = { [N in FigureName]: FigureValue<N> };
