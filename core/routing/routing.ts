/**
 * A campaign's routing: branches, in each a split over pairings of a page and its offers. The only way to a campaign's
 * offers and pages, so that whoever asks for them need not know how the campaign's record holds them.
 */
import type { CampaignInput, Condition, Pairing, Routing, Way } from '../contract/index.ts';

/** One way that visits can go; the last one, *otherwise*, has no condition. */
export interface RoutedWay extends Way {
  id: string;
  name: string;
  when: Condition | null;
}
/** What routing is read from. */
export type Routed = Pick<CampaignInput, 'offerId' | 'landingPageId'> &
  Partial<Pick<CampaignInput, 'routing'>>;

/** The branch of visits that no other branch takes; every campaign has it. */
export const OTHERWISE = 'otherwise';
/** The pairing of a campaign with one page and one offer. */
export const ONLY_PAIRING = 'only';

/** The routing of a campaign with one offer, by a landing page or straight: the only place that writes one. */
export const routeTo = (offerId: string, landingPageId = ''): Routed => ({ offerId, landingPageId });

const onlyPairing = (offerId: string, landingPageId: string): Pairing => ({
  id: ONLY_PAIRING,
  landingPageId,
  offerIds: offerId === '' ? [] : [offerId],
  weight: 1,
  isOn: true,
  from: '',
  to: '',
});

/** Pages and offers that visitors are split over by weight; a single one is a campaign with one offer. */
export function splitOver(
  ways: readonly { landingPageId: string; offerId: string; weight: number }[],
): Routed {
  const [first, ...more] = ways;
  if (!first || more.length === 0) return routeTo(first?.offerId ?? '', first?.landingPageId);
  const pairings = ways.map(({ landingPageId, offerId, weight }, i) => ({
    ...onlyPairing(offerId, landingPageId),
    id: i === 0 ? ONLY_PAIRING : `split-${i + 1}`,
    weight,
  }));
  return { ...routeTo(''), routing: { branches: [], otherwise: { split: 'weights', pairings } } };
}

/** As branches, whatever the record holds: what an editor of branches begins with. */
export const asRouting = ({ offerId, landingPageId, routing }: Routed): Routing =>
  routing ?? {
    branches: [],
    // Campaigns that were saved before there were landing pages name none.
    otherwise: { split: 'weights', pairings: [onlyPairing(offerId, landingPageId ?? '')] },
  };

/**
 * What button `n` of a page leads to, counted from 1: one of its own, or the one for all buttons. Null for a number for which
 * none is set: the visit's own offer takes it.
 */
export const ofButton = <T>(offers: readonly T[], n: number): T | null =>
  (offers.length === 1 ? offers[0] : offers[n - 1]) ?? null;

/** In the order in which they are tried. */
export function branchesOf(campaign: Routed): RoutedWay[] {
  const { branches, otherwise } = asRouting(campaign);
  return [...branches, { ...otherwise, id: OTHERWISE, name: OTHERWISE, when: null }];
}

export const pairingsOf = (campaign: Routed): Pairing[] =>
  branchesOf(campaign).flatMap((branch) => branch.pairings);

const once = (ids: readonly string[]): string[] => [...new Set(ids)].filter((id) => id !== '');

/** IDs of the offers that visits of the campaign can be sent to, those of *otherwise* first. */
export const offersOf = (campaign: Routed): string[] => once(mainFirst(campaign).flatMap((p) => p.offerIds));

/** IDs of its landing pages; none for a direct link. */
export const landingPagesOf = (campaign: Routed): string[] =>
  once(mainFirst(campaign).map((p) => p.landingPageId));

/** Most visits go the way of *otherwise*: its first pairing stands for the campaign where one has to. */
function mainFirst(campaign: Routed): Pairing[] {
  const { branches, otherwise } = asRouting(campaign);
  return [...otherwise.pairings, ...branches.flatMap((b) => b.pairings)];
}

/** The routing with one offer in the place of another wherever that stands. */
export function withOfferReplaced<C extends Routed>(campaign: C, from: string, to: string): C {
  if (!offersOf(campaign).includes(from)) return campaign;
  const { routing } = campaign;
  if (!routing) return { ...campaign, offerId: to };
  const swapped = <W extends Way>(way: W): W => ({
    ...way,
    pairings: way.pairings.map((p) => ({ ...p, offerIds: p.offerIds.map((id) => (id === from ? to : id)) })),
  });
  const next = { branches: routing.branches.map(swapped), otherwise: swapped(routing.otherwise) };
  return { ...campaign, routing: next };
}
