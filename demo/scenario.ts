/** The invented scenario: a two-person desk in Ghent that sells hobby kits. Everything in it is made up. */
import {
  landingPageInput,
  networkInput,
  offerInput,
  sourceInput,
  type PostbackField,
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
  /** The search feed; null: the desk has none. */
  feed: string | null;
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
      // Its made-up pages are nowhere.
      noLooks: true,
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
    stargazing: landingPageInput.parse({
      name: 'Stars over your garden',
      url: `${practice.pages}/stargazing`,
      countries: ['NL'],
      notes: 'Two questions, then the trial. Runs against the direct link.',
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
  stargazing: {
    buttons: [buttonLink('ORIGIN', keys.stargazing!, 1)],
    script: pageScriptTag('ORIGIN'),
    vanished: false,
  },
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
    rye: make({
      name: 'Brindle & Oat rye bread set',
      product: 'Sourdough',
      networkId: saltmarsh,
      link: 'https://go.saltmarsh.example/c/121?sid={click_id}',
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
