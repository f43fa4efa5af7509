/** The trail as it is set up: from the parts of a chain, complete or not, with everything that the checks say of it. */
import type { CampaignInput } from '../contract/campaigns.ts';
import type { LandingPageInput, PageCheck } from '../contract/landingPages.ts';
import type { NetworkInput } from '../contract/networks.ts';
import type { OfferInput } from '../contract/offers.ts';
import type { PartKind } from '../contract/parts.ts';
import type { SourceInput } from '../contract/sources.ts';
import { checkChain, hasNoPayout } from '../links/chain.ts';
import { checkLink } from '../links/checks.ts';
import {
  carriesClickId,
  linkParameters,
  outgoingLink,
  pageLink,
  postbackUrl,
  trackingLink,
  isByPartner,
  wireName,
} from '../links/compose.ts';
import type { LinkContext } from '../links/finding.ts';
import { offerContext } from '../links/offerContext.ts';
import type { End, Hop, HopKey, Lack } from './hops.ts';

export interface TrailParts {
  source?: SourceInput | undefined;
  network?: NetworkInput | undefined;
  /** The offer, or what a setup sheet would make of it. */
  offer?: OfferInput | undefined;
  /** null: a direct link. */
  page?: LandingPageInput | null | undefined;
  /** What the last look at the page found. */
  pageCheck?: PageCheck | null | undefined;
  campaign?: Pick<CampaignInput, 'costModel' | 'costCurrency' | 'account'> | undefined;
}
export interface TrailPlace {
  /** Of the default tracking domain. */
  origin: string;
  ownOrigins: readonly string[];
  deskCurrency: string;
  /** Where the chain buys; empty: not said. */
  country?: string;
}

type Found = Omit<Lack, 'breaks'>;
const US = 'Tracheon';
const end = (station: End['station'], name: string, says: string): End => ({ station, name, says });

export function configuredTrail(parts: TrailParts, place: TrailPlace): Hop[] {
  const hops = [sourceToUs(parts, place)];
  if (parts.page)
    hops.push(usToPage(parts, parts.page, place), pageToUs(parts.page, parts.pageCheck ?? null));
  hops.push(usToOffer(parts, place), networkToUs(parts, place), usToSource(parts, place));
  return withChain(hops, parts, place);
}

function hop(
  key: HopKey,
  from: End,
  to: End,
  expander: Hop['expander'],
  carries: Hop['carries'],
  found: Found[],
  isComplete: boolean,
): Hop {
  const lacks = found.map((l) => ({ ...l, breaks: BREAKING.has(l.code) }));
  const isBroken = lacks.some((l) => l.breaks);
  const state = isBroken ? 'missing' : isComplete ? 'known' : 'waiting';
  return { key, from, to, expander, carries, lacks, state, isNeeded: true, seen: '', to_requests: '' };
}

/** What keeps the ID from getting across, or the link from being used at all; everything else is said beside the hop. */
const BREAKING: ReadonlySet<Lack['code']> = new Set<Lack['code']>([
  'no_click_id',
  'no_source_click_id',
  'cut_too_short',
  'cut_token',
  'unknown_token',
  'space_in_token',
  'bad_braces',
  'white_space',
  'not_absolute',
  'not_http',
  'credentials',
  'host_not_literal',
  'own_domain',
  'button_missing',
  'needs_page',
]);

/** What the checks of a link say, as lacks of its hop. */
const lacksOf = (link: string, context: LinkContext, at: PartKind): Found[] =>
  link === '' ? [] : checkLink(link, context).map(({ code, sentence }) => ({ code, sentence, at }));

const sourceEnd = (source: SourceInput | undefined, says: string): End =>
  end('source', source?.name ?? 'Source', source ? says : 'not chosen yet');

function sourceToUs({ source, page }: TrailParts, { origin }: TrailPlace): Hop {
  const isDirect = source?.allowsRedirects === false;
  const from = sourceEnd(source, isDirect ? 'links to the page' : 'sends the visit');
  const to = end('us', US, isDirect ? 'visit by script' : 'assigns the click ID');
  if (!source) return hop('source_to_us', from, to, 'they', [], [], false);
  const click = source.parameters.find((p) => p.role === 'click_id' && p.parameter !== '');
  const link = trackingLink(origin, 'key', source);
  const lacks = lacksOf(link, { expander: 'they', place: 'visit', shape: source.macroStyle }, 'source');
  if (!click || click.macro === '')
    lacks.push({
      code: 'no_source_click_id',
      at: 'source',
      sentence: click
        ? `“${click.parameter}” has no macro, so ${source.name} would send nothing in it.`
        : `${source.name} sends no click ID, so it can’t know which click converted.`,
    });
  if (isDirect && page === null)
    lacks.push({
      code: 'needs_page',
      at: 'campaign',
      sentence: `${source.name} allows no redirects, so its ads need a landing page to lead to. Choose one.`,
    });
  const carries = click ? [{ name: click.parameter, value: click.macro }] : [];
  return hop('source_to_us', from, to, 'they', carries, lacks, true);
}

function usToPage({ source }: TrailParts, page: LandingPageInput, { origin, ownOrigins }: TrailPlace): Hop {
  const link = pageLink(page.url);
  const lacks = lacksOf(
    link,
    {
      expander: 'we',
      place: 'visit',
      needs: 'click_id',
      clickIdParameter: 'click_id',
      ownOrigins,
      afterHttps: origin.startsWith('https:'),
    },
    'landing-page',
  );
  return hop(
    'us_to_page',
    end('us', US, source?.allowsRedirects === false ? 'tells the page the click ID' : 'sends to the page'),
    end('page', page.name, 'landing page'),
    'we',
    carriersOf(link),
    lacks,
    true,
  );
}

function pageToUs(page: LandingPageInput, check: PageCheck | null): Hop {
  const lacks: Found[] = [];
  const say = (sentence: string): void =>
    void lacks.push({ code: 'button_missing', at: 'landing-page', sentence });
  if (check && check.trouble !== 'ok') say(`${page.name} could not be checked: ${check.sentence}`);
  else if (check) {
    const gone = check.buttons.filter((b) => b.found === 0).map((b) => b.n);
    if (gone.length > 0)
      say(
        `The link of button ${gone.join(', ')} is not on the page. Visitors who click it don’t come back to Tracheon.`,
      );
    if (check.buttons.some((b) => b.baked))
      say('A button link contains one visitor’s click ID. Every click would count for that visitor.');
  }
  const words = page.buttons === 1 ? 'button 1' : `buttons 1 to ${page.buttons}`;
  return hop(
    'page_to_us',
    end('page', page.name, words),
    end('us', US, 'matches the visit'),
    'we',
    [{ name: 'click_id', value: check && !check.script ? 'by cookie' : 'by link or cookie' }],
    lacks,
    check !== null,
  );
}

/** The parameters by which our click ID goes out; where it stands elsewhere, the place is the path. */
const carriersOf = (link: string): Hop['carries'] => {
  const found = linkParameters(link).filter((p) => carriesClickId(p.value));
  if (found.length > 0) return found.map(({ name, value }) => ({ name, value }));
  return carriesClickId(link) ? [{ name: 'in the path', value: '{click_id}' }] : [];
};

function usToOffer(parts: TrailParts, place: TrailPlace): Hop {
  const { network, offer, page, source } = parts;
  const from = end('us', US, 'chooses the offer');
  const to = end(
    'offer',
    offer?.name || 'Offer',
    network?.name ?? (offer ? 'no network yet' : 'not chosen yet'),
  );
  if (!offer || offer.link === '') return hop('us_to_offer', from, to, 'we', [], [], false);
  const link = network ? outgoingLink(offer.link, network) : offer.link;
  const before = page ? page.url : place.origin;
  const context = offerContext(network, place.ownOrigins, before);
  const lacks = lacksOf(link, context, 'offer');
  // What is put right by itself when the link goes out, since the network says where our click ID belongs.
  for (const l of link === offer.link ? [] : lacksOf(offer.link, context, 'offer'))
    if (l.code === 'sample_value' || l.code === 'click_id_place_taken')
      lacks.push({ ...l, sentence: `${l.sentence} Tracheon corrects it in the outgoing link.` });
  lacks.push(...notFed(network, source), ...notOpen(offer, place.country ?? ''));
  return hop('us_to_offer', from, to, 'we', carriersOf(link), lacks, network !== undefined);
}

/** What the network demands, and this source tells nothing of. */
function notFed(network: NetworkInput | undefined, source: SourceInput | undefined): Found[] {
  if (!network || !source) return [];
  const feeds = (token: string): boolean => {
    if (token === 'source_click_id') return source.parameters.some((p) => p.role === 'click_id');
    if (token === 'cost') return source.parameters.some((p) => p.role === 'cost');
    if (!token.startsWith('sub_')) return true;
    return source.parameters.some((p) => p.role === 'sub' && p.sub === token.slice(4));
  };
  return network.subParameters
    .filter((p) => p.demanded && p.token !== '' && !feeds(p.token))
    .map((p) => ({
      code: 'demanded_not_fed',
      at: 'source',
      sentence: `${network.name} requires “${p.parameter}” from {${p.token}}, but ${source.name} does not send it. It would be empty. ${whatToAdd(p.token, source)}`,
    }));
}

/** Where the member goes to mend it. */
const whatToAdd = (token: string, { name }: SourceInput): string =>
  token.startsWith('sub_')
    ? `Add a parameter for the sub-ID “${token.slice('sub_'.length)}” to ${name}, with the source’s own macro.`
    : `Add a parameter for ${token === 'cost' ? 'the cost' : 'its click ID'} to ${name}.`;

function notOpen(offer: OfferInput, country: string): Found[] {
  if (country === '' || offer.countries.length === 0 || offer.countries.includes(country)) return [];
  return [
    {
      code: 'country_not_open',
      at: 'offer',
      sentence: `${offer.name} sells in ${offer.countries.join(', ')}, not in ${country}.`,
    },
  ];
}

function networkToUs({ network, offer }: TrailParts, { origin }: TrailPlace): Hop {
  const from = end('network', network?.name ?? 'Network', network ? 'sends the postback' : 'not chosen yet');
  const to = end('us', US, 'books');
  if (!network) return hop('network_to_us', from, to, 'they', [], [], false);
  const url = postbackUrl(origin, 'key', network);
  const lacks = lacksOf(url, { expander: 'they', place: 'conversion', shape: network.macroStyle }, 'network');
  const click = network.fields.click_id;
  if (click.macro === '' && !isByPartner(network))
    lacks.push({
      code: 'no_click_id',
      at: 'network',
      sentence: `The postback URL of ${network.name} has no click ID macro, so its postbacks would have no click ID.`,
    });
  if (offer && hasNoPayout(offer, network))
    lacks.push({
      code: 'no_payout_macro',
      at: 'network',
      sentence: `${offer.name || 'The offer'} uses the reported payout, but the postback URL of ${network.name} has no payout macro. Conversions would have no payout. Add the macro or a default payout.`,
    });
  const carries = (['click_id', 'partner_id', 'payout', 'status'] as const)
    .filter((f) => network.fields[f].macro !== '')
    .map((f) => ({ name: wireName(network, f), value: network.fields[f].macro }));
  return hop('network_to_us', from, to, 'they', carries, lacks, true);
}

/** Of the account in which the campaign runs, where that has an address of its own; else the source's. */
export function sourcePostbackUrl(source: SourceInput, account: string): string {
  const own = account === '' ? undefined : source.accounts.find((a) => a.name === account);
  return own?.postbackUrl || source.postbackUrl;
}

function usToSource({ source, campaign }: TrailParts, { ownOrigins }: TrailPlace): Hop {
  const from = end('us', US, 'sends the postback');
  const to = sourceEnd(source, 'gets the postback');
  if (!source) return hop('us_to_source', from, to, 'we', [], [], false);
  const url = sourcePostbackUrl(source, campaign?.account ?? '');
  if (url === '')
    return {
      ...hop('us_to_source', from, end('source', source.name, 'takes no postback'), 'we', [], [], true),
      isNeeded: false,
    };
  const lacks = lacksOf(
    url,
    { expander: 'we', place: 'conversion', needs: 'source_click_id', ownOrigins },
    'source',
  );
  const carries = linkParameters(url)
    .filter((p) => /\{[^{}]*(source_click_id|payout)\b[^{}]*\}/.test(p.value))
    .map(({ name, value }) => ({ name, value }));
  return hop('us_to_source', from, to, 'we', carries, lacks, true);
}

/** What belongs to no single link stands at the hop where it is put right. */
function withChain(hops: Hop[], parts: TrailParts, place: TrailPlace): Hop[] {
  const { campaign, source, offer, network } = parts;
  if (!campaign || !source || !offer || !network) return hops;
  const at: Record<string, HopKey> = {
    source: 'us_to_source',
    campaign: 'source_to_us',
    offer: 'us_to_offer',
    network: 'network_to_us',
  };
  const found = checkChain({ campaign, source, offer, network, deskCurrency: place.deskCurrency })
    // Said already at the network's own hop.
    .filter((f) => f.code !== 'no_payout_macro');
  return hops.map((h) => ({
    ...h,
    lacks: [
      ...h.lacks,
      ...found
        .filter((f) => at[f.at] === h.key)
        .map((f) => ({ code: f.code, sentence: f.sentence, at: f.at, breaks: false })),
    ],
  }));
}
