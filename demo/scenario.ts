/** The invented scenario: a two-person desk in Ghent that sells hobby kits. Everything in it is made up. */
import {
  landingPageInput,
  networkInput,
  offerInput,
  sourceInput,
  type PostbackField,
  type CampaignInput,
  type LandingPageInput,
  type NetworkInput,
  type OfferInput,
  type SourceInput,
} from '@tracheon/core/contract';
import { buttonLink, pageScriptTag } from '@tracheon/core/links';

export interface PracticeOrigins {
  adNetwork: string;
  /** The second ad network: macros of another shape, an image pixel only. */
  popNetwork: string;
  affiliate: string;
  /** The desk's own landing pages. */
  pages: string;
}
type Fields = Partial<Record<PostbackField, { macro: string; parameter: string }>>;
const field = (macro: string, parameter = ''): { macro: string; parameter: string } => ({ macro, parameter });

export function networks(
  saleId: string,
  upsellId: string,
  practice: PracticeOrigins,
): Record<string, NetworkInput> {
  const larkspur: Fields = {
    click_id: field('#ref#'),
    payout: field('#amt#'),
    currency: field('#cur#'),
    transaction: field('#txn#'),
    event: field('#ev#'),
    status: field('#st#'),
    conversion_time: field('#ts#'),
    changed_time: field('#now#'),
  };
  const saltmarsh: Fields = {
    click_id: field('{{sid}}', 'sid'),
    payout: field('{{amount}}', 'amount'),
    transaction: field('{{order}}', 'order'),
  };
  return {
    larkspur: networkInput.parse({
      name: 'Larkspur CPA',
      hosts: ['go.larkspur.example', new URL(practice.affiliate).host],
      clickIdParameter: 'aff_ref',
      macroStyle: '#x#',
      fields: larkspur,
      statusWords: [
        { word: 'wait', means: 'pending' },
        { word: 'ok', means: 'approved' },
        { word: 'no', means: 'rejected' },
        { word: 'back', means: 'reversed' },
      ],
      eventWords: [
        { word: 'order', eventTypeId: saleId },
        { word: 'extra', eventTypeId: upsellId },
      ],
      noStatusMeans: 'pending',
      notes: 'Approves on Tuesdays and Fridays.',
    }),
    saltmarsh: networkInput.parse({
      name: 'Saltmarsh Partners',
      hosts: ['go.saltmarsh.example'],
      clickIdParameter: 'sid',
      macroStyle: '{{x}}',
      fields: saltmarsh,
      decimalMark: ',',
      answerStyle: 'ok',
    }),
  };
}

export function sources(practice: PracticeOrigins): Record<string, SourceInput> {
  const sub = (parameter: string, macro: string, name: string) => ({
    parameter,
    macro,
    role: 'sub' as const,
    sub: name,
  });
  return {
    moorhen: sourceInput.parse({
      name: 'Moorhen Push',
      macroStyle: '[x]',
      parameters: [
        { parameter: 'clk', macro: '[click]', role: 'click_id' },
        sub('site', '[site]', 'site'),
        sub('zn', '[zone]', 'zone'),
        sub('ad', '[ad]', 'ad'),
        { parameter: 'bid', macro: '[cost]', role: 'cost' },
      ],
      costCurrency: 'EUR',
      postbackUrl: `${practice.adNetwork}/postback?uid={source_click_id}&sum={payout}&cur={payout_currency}`,
    }),
    tidepool: sourceInput.parse({
      name: 'Tidepool Native',
      macroStyle: '${x}',
      parameters: [
        { parameter: 'cid', macro: '${CID}', role: 'click_id' },
        sub('pub_name', '${PUB}', 'site'),
        sub('t', '${TITLE}', 'title'),
        { parameter: 'cpm', macro: '${CPM}', role: 'cost' },
      ],
      costUnit: 'thousand',
      costCurrency: 'USD',
      postbackUrl: `${practice.adNetwork}/postback?cid={source_click_id}&value={payout}`,
    }),
    quayside: sourceInput.parse({
      name: 'Quayside Search',
      macroStyle: '{x}',
      parameters: [
        { parameter: 'qid', macro: '{clickid}', role: 'click_id' },
        sub('kw', '{keyword}', 'keyword'),
        sub('ad', '{adid}', 'ad'),
      ],
      costCurrency: 'EUR',
    }),
    lapwing: sourceInput.parse({
      name: 'Lapwing Pops',
      macroStyle: '%%x%%',
      parameters: [
        { parameter: 'c', macro: '%%CLICK%%', role: 'click_id' },
        sub('z', '%%ZONE%%', 'zone'),
        sub('s', '%%SITE%%', 'site'),
        { parameter: 'p', macro: '%%PRICE%%', role: 'cost' },
      ],
      costCurrency: 'EUR',
      // Mistyped on purpose: there is no such address, so its postbacks out are found parked.
      postbackUrl: `${practice.popNetwork}/pixel.gif?c={source_click_id}`,
    }),
  };
}

export function landingPages(practice: PracticeOrigins): Record<string, LandingPageInput> {
  return {
    terrarium: landingPageInput.parse({
      name: 'Terrarium story',
      url: `${practice.pages}/terrarium?from={sub_site}`,
      buttons: 2,
      countries: ['NL', 'BE'],
      notes: 'Written by hand, on our own server. Two buttons: one under the picture, one at the end.',
    }),
    sourdough: landingPageInput.parse({
      name: 'Sourdough in seven days',
      url: `${practice.pages}/sourdough`,
      countries: ['PT'],
      notes: 'In the site builder. Emil edits the text now and then.',
    }),
  };
}

/** What stands on the pages, `ORIGIN` for the tracking domain: the second was edited, and its button is gone. */
export const pageContents = (
  keys: Record<string, string>,
): Record<string, { buttons: string[]; script: string; vanished: boolean }> => ({
  terrarium: {
    buttons: [1, 2].map((n) => buttonLink('ORIGIN', keys.terrarium!, n)),
    script: pageScriptTag('ORIGIN'),
    vanished: false,
  },
  sourdough: { buttons: [buttonLink('ORIGIN', keys.sourdough!, 1)], script: '', vanished: true },
});

export function offers(
  practice: PracticeOrigins,
  network: Record<string, string>,
): Record<string, OfferInput> {
  const make = (o: Partial<OfferInput> & { name: string; link: string; networkId: string }): OfferInput =>
    offerInput.parse(o);
  const { larkspur, saltmarsh } = network as { larkspur: string; saltmarsh: string };
  return {
    stargazing: make({
      name: 'Skylark stargazing trial',
      product: 'Stargazing',
      networkId: larkspur,
      link: `${practice.affiliate}/o/4480?pub=902&aff_ref={click_id}&src={source_name}`,
      countries: ['BE', 'NL'],
      currency: 'EUR',
    }),
    terrarium: make({
      name: 'Fernway terrarium box',
      product: 'Terrarium',
      networkId: larkspur,
      link: `${practice.affiliate}/o/4471?pub=902&aff_ref={click_id}&site={sub_site}`,
      countries: ['NL', 'BE'],
      payoutMicros: '18000000',
      currency: 'EUR',
    }),
    sourdough: make({
      name: 'Brindle & Oat sourdough set',
      product: 'Sourdough',
      networkId: saltmarsh,
      link: 'https://go.saltmarsh.example/c/118?sid={click_id}',
      countries: ['PT', 'CA'],
      payoutMode: 'fixed',
      payoutMicros: '9750000',
      currency: 'USD',
    }),
    kites: make({
      name: 'Kitewright kite kit',
      product: 'Kites',
      networkId: saltmarsh,
      link: 'https://go.saltmarsh.example/c/204?sid={click_id}&kw={sub_keyword}',
      countries: ['DK', 'JP'],
      payoutMode: 'reported',
      currency: 'EUR',
    }),
  };
}

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
}

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
];

export const keywords = ['sourdough starter', 'rye bread kit', 'baking set', 'kit de pão', 'massa mãe'];
