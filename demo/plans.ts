/** The campaigns of the invented scenario: how each one goes, and what went wrong in it, to be found. */
import type { CampaignInput } from '@tracheon/core/contract';
import { ONLY_PAIRING } from '@tracheon/core/routing';

/** How a campaign goes: what the generator aims at, not what it stores. */
export interface CampaignPlan {
  name: string;
  source: string;
  offer: string;
  country: string;
  cost: Pick<CampaignInput, 'costModel' | 'costMicros' | 'costCurrency'>;
  /** Visits on an average day. */
  perDay: number;
  /** Mean price of a visit as the source's macro tells it, in its unit. */
  price: number;
  cr: number;
  payout: number;
  /** Day before today on which it began. */
  since: number;
  devices: (readonly [string, number])[];
  /** What went wrong, to be found: the price macro came unfilled on that day before today; the offer died on that day. */
  brokenPriceDay?: number;
  /** Through this landing page, whose visitors click at this rate; its buttons are gone since so many hours. */
  page?: { key: string; ctr: number; vanishedHours?: number };
  diedDay?: number;
  /** An automatic split over these ways instead of the one offer and page; weights say who went where so far. */
  split?: DemoWay[];
}
/** One pairing of a split: `factor` is how well it sells beside the campaign's rate. */
export interface DemoWay {
  id: string;
  offer: string;
  page?: NonNullable<CampaignPlan['page']>;
  weight: number;
  factor: number;
}
/** What visitors of a campaign are spread over. */
export const waysOf = (plan: CampaignPlan): DemoWay[] =>
  plan.split ?? [{ id: ONLY_PAIRING, offer: plan.offer, page: plan.page, weight: 1, factor: 1 }];

const phones = [
  ['phone', 6],
  ['iphone', 3],
  ['tablet', 1],
] as const;
const desks = [
  ['desktop', 6],
  ['iphone', 2],
  ['phone', 2],
] as const;
const fromLink = (currency: string) => ({
  costModel: 'link' as const,
  costMicros: '',
  costCurrency: currency,
});

/** Its revenue comes by a feed. */
export const feedPlan: CampaignPlan = {
  name: 'NL · Star charts · Tidepool',
  source: 'tidepool',
  offer: 'charts',
  country: 'NL',
  cost: fromLink('USD'),
  perDay: 95,
  price: 120,
  cr: 0,
  payout: 0,
  since: 13,
  devices: [...phones],
};

/** Partners send its visitors, and are paid for what these buy. */
export const partnerPlan: CampaignPlan = {
  name: 'DK · Kite club · Partners',
  source: 'partners',
  offer: 'club',
  country: 'DK',
  cost: { costModel: 'none', costMicros: '', costCurrency: 'EUR' },
  perDay: 60,
  price: 0,
  cr: 0.06,
  payout: 14,
  since: 40,
  devices: [...phones],
};

export const plans: CampaignPlan[] = [
  {
    name: 'BE · Stargazing · Moorhen Push',
    source: 'moorhen',
    offer: 'stargazing',
    country: 'BE',
    cost: fromLink('EUR'),
    perDay: 620,
    price: 0.056,
    cr: 0.0088,
    payout: 12.5,
    since: 59,
    devices: [...phones],
  },
  {
    name: 'NL · Terrarium · Tidepool',
    source: 'tidepool',
    offer: 'terrarium',
    country: 'NL',
    cost: fromLink('USD'),
    perDay: 470,
    price: 430,
    cr: 0.0285,
    payout: 18,
    since: 59,
    brokenPriceDay: 9,
    page: { key: 'terrarium', ctr: 0.31 },
    devices: [...phones],
  },
  {
    name: 'PT · Sourdough · Quayside',
    source: 'quayside',
    offer: 'sourdough',
    country: 'PT',
    cost: { costModel: 'visit', costMicros: '410000', costCurrency: 'EUR' },
    perDay: 210,
    price: 0,
    cr: 0.058,
    payout: 9.75,
    since: 59,
    page: { key: 'sourdough', ctr: 0.42, vanishedHours: 20 },
    devices: [...desks],
  },
  {
    name: 'CA · Sourdough · Tidepool',
    source: 'tidepool',
    offer: 'sourdough',
    country: 'CA',
    cost: fromLink('USD'),
    perDay: 300,
    price: 420,
    cr: 0.038,
    payout: 9.75,
    since: 44,
    // A clear winner.
    split: [
      { id: 'sourdough', offer: 'sourdough', weight: 4, factor: 1.15 },
      { id: 'rye', offer: 'rye', weight: 1, factor: 0.4 },
    ],
    devices: [...phones],
  },
  {
    name: 'DK · Kites · Lapwing Pops',
    source: 'lapwing',
    offer: 'kites',
    country: 'DK',
    cost: fromLink('EUR'),
    perDay: 520,
    price: 0.061,
    cr: 0.0082,
    payout: 7.4,
    since: 52,
    diedDay: 4,
    devices: [...desks],
  },
  {
    name: 'JP · Kites · Lapwing Pops',
    source: 'lapwing',
    offer: 'kites',
    country: 'JP',
    cost: fromLink('EUR'),
    perDay: 160,
    price: 0.022,
    cr: 0,
    payout: 0,
    since: 12,
    devices: [...phones],
  },
  {
    name: 'NL · Stargazing · Quayside',
    source: 'quayside',
    offer: 'stargazing',
    country: 'NL',
    cost: { costModel: 'visit', costMicros: '290000', costCurrency: 'EUR' },
    perDay: 190,
    price: 0,
    cr: 0.036,
    payout: 12.5,
    since: 26,
    // A close call: after four weeks nobody can say which one is better.
    split: [
      { id: 'direct', offer: 'stargazing', weight: 1, factor: 1 },
      { id: 'page', offer: 'stargazing', page: { key: 'stargazing', ctr: 0.48 }, weight: 1, factor: 1.04 },
    ],
    devices: [...desks],
  },
  {
    name: 'CA · Baking · Lapwing Pops',
    source: 'lapwing',
    offer: 'rye',
    country: 'CA',
    cost: fromLink('EUR'),
    perDay: 65,
    price: 0.05,
    cr: 0.012,
    payout: 9.75,
    since: 2,
    // Too early to say anything.
    split: [
      { id: 'sourdough', offer: 'sourdough', weight: 1, factor: 1 },
      { id: 'rye', offer: 'rye', weight: 1, factor: 1 },
    ],
    devices: [...phones],
  },
];

export const keywords = ['sourdough starter', 'rye bread kit', 'baking set', 'kit de pão', 'massa mãe'];
