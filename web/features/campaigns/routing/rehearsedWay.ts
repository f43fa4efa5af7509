/** What each pairing of the branch means for one described visitor: where it leads, link by link, and whether it takes anybody. */
import type { OfferInput, Pairing, PartRecord } from '@tracheon/core/contract';
import {
  buttonLink,
  calledPostback,
  filledLink,
  filledPostback,
  outgoingLink,
  pageLink,
  statusWordOf,
  type FilledLink,
} from '@tracheon/core/links';
import { offerDays } from '@tracheon/core/routing';
import { sourcePostbackUrl } from '@tracheon/core/trail';
import type { PartNames, TokenVisit } from '@tracheon/core/visits';

export interface WayParts {
  campaign: PartRecord<'campaign'>;
  source: PartRecord<'source'> | undefined;
  pageOf: (id: string) => PartRecord<'landing-page'> | undefined;
  offerOf: (id: string) => PartRecord<'offer'> | undefined;
  networkOf: (id: string) => PartRecord<'network'> | undefined;
  branchName: (id: string) => string;
  /** Of the default tracking domain. */
  origin: string;
}
export interface RehearsedLink {
  what: string;
  filled: FilledLink;
}

/** Why an offer takes no visitors now; empty when it does. */
export function closedBecause(
  offer: Pick<OfferInput, 'sending' | 'startsOn' | 'endsOn' | 'zone'>,
  isCapped: boolean,
  nowMs: number,
  deskZone: string,
): string {
  if (offer.sending !== 'live') return `is ${offer.sending}`;
  const { fromMs, untilMs } = offerDays(offer, deskZone);
  if (nowMs < fromMs) return 'has not started yet';
  if (nowMs >= untilMs) return 'has ended';
  return isCapped ? 'has reached its cap' : '';
}

const namesFor = (
  { campaign, source, networkOf, branchName }: WayParts,
  offer: PartRecord<'offer'>,
  page: PartRecord<'landing-page'> | undefined,
): PartNames => ({
  source: { id: source?.id ?? '', name: source?.body.name ?? '' },
  network: { name: networkOf(offer.body.networkId)?.body.name ?? '' },
  offer: { id: offer.id, name: offer.body.name },
  landing: page ? { part: { id: page.id, name: page.body.name } } : null,
  id: campaign.id,
  name: campaign.body.name,
  branchName,
});

/** The page with its buttons, and each offer behind them; or the offer alone. */
export function linksOf(parts: WayParts, pairing: Pairing, visit: TokenVisit): RehearsedLink[] {
  const page = parts.pageOf(pairing.landingPageId);
  const offers = pairing.offerIds.flatMap((id) => parts.offerOf(id) ?? []);
  const first = offers[0];
  if (!first) return [];
  const links: RehearsedLink[] = [];
  if (page)
    links.push({
      what: `Page ${page.body.name}`,
      filled: filledLink(pageLink(page.body.url), namesFor(parts, first, page), visit),
    });
  offers.forEach((offer, i) => {
    const network = parts.networkOf(offer.body.networkId);
    const link = network ? outgoingLink(offer.body.link, network.body) : offer.body.link;
    if (page) {
      const buttons = offers.length === 1 && page.body.buttons > 1 ? 'Every button' : `Button ${i + 1}`;
      links.push({
        what: buttons,
        filled: { url: `${buttonLink(parts.origin, page.key, i + 1)}?click_id=${visit.id}`, empty: [] },
      });
    }
    links.push({
      what: `Offer ${offer.body.name}`,
      filled: filledLink(link, namesFor(parts, offer, page), visit),
    });
  });
  return links;
}

/** A conversion as the network would tell of it, and as the source would then be told. */
export function postbacksOf(
  parts: WayParts,
  pairing: Pairing,
  visit: TokenVisit,
  eventWord: string,
): RehearsedLink[] {
  const offer = pairing.offerIds.flatMap((id) => parts.offerOf(id) ?? [])[0];
  const network = offer && parts.networkOf(offer.body.networkId);
  if (!offer || !network) return [];
  const payout = offer.body.payoutMicros === '' ? '10' : String(Number(offer.body.payoutMicros) / 1e6);
  const { currency } = offer.body;
  const found: RehearsedLink[] = [
    {
      what: `From ${network.body.name}`,
      filled: {
        url: calledPostback(parts.origin, network.key, network.body, {
          click_id: visit.id,
          payout,
          currency,
          transaction: 'sample-1',
          status: statusWordOf(network.body, 'approved'),
        }),
        empty: [],
      },
    },
  ];
  const template = parts.source ? sourcePostbackUrl(parts.source.body, parts.campaign.body.account) : '';
  if (template !== '')
    found.push({
      what: `To ${parts.source!.body.name}`,
      filled: filledPostback(
        template,
        namesFor(parts, offer, parts.pageOf(pairing.landingPageId)),
        visit,
        new Map([
          ['payout', payout],
          ['payout_currency', currency],
          ['event', eventWord],
          ['status', 'approved'],
          ['transaction', 'sample-1'],
          ['conversion_time', new Date(visit.atMs).toISOString()],
          ['conversion_unix', String(Math.floor(visit.atMs / 1000))],
        ]),
      ),
    });
  return found;
}
