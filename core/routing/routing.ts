/**
 * A campaign's routing: branches, in each a split over pairings of a page and its offers. The only way to a campaign's
 * offers and pages, so that whoever asks for them need not know how the campaign's record holds them.
 */
import type { CampaignInput } from '../contract/index.ts';

export interface Pairing {
  id: string;
  /** Empty for a direct link. */
  landingPageId: string;
  /** By button; the first is that of every button which has none of its own. */
  offerIds: readonly string[];
  weight: number;
}
export interface Branch {
  id: string;
  name: string;
  pairings: readonly Pairing[];
}
/** What routing is read from. */
export type Routed = Pick<CampaignInput, 'offerId' | 'landingPageId'>;

/** The branch of visits that no other branch takes; every campaign has it. */
export const OTHERWISE = 'otherwise';
/** The pairing of a campaign with one page and one offer. */
export const ONLY_PAIRING = 'only';

/** In the order in which they are tried. */
export function branchesOf({ offerId, landingPageId }: Routed): Branch[] {
  const offerIds = offerId === '' ? [] : [offerId];
  // Campaigns that were saved before there were landing pages name none.
  const only: Pairing = { id: ONLY_PAIRING, landingPageId: landingPageId ?? '', offerIds, weight: 1 };
  return [{ id: OTHERWISE, name: OTHERWISE, pairings: [only] }];
}

export const pairingsOf = (campaign: Routed): Pairing[] =>
  branchesOf(campaign).flatMap((branch) => branch.pairings);

const once = (ids: readonly string[]): string[] => [...new Set(ids)].filter((id) => id !== '');

/** IDs of the offers that visits of the campaign can be sent to, the first pairing's first. */
export const offersOf = (campaign: Routed): string[] => once(pairingsOf(campaign).flatMap((p) => p.offerIds));

/** IDs of its landing pages; none for a direct link. */
export const landingPagesOf = (campaign: Routed): string[] =>
  once(pairingsOf(campaign).map((p) => p.landingPageId));

/** The routing with one offer in the place of another wherever that stands. */
export function withOfferReplaced<C extends Routed>(campaign: C, from: string, to: string): C {
  return campaign.offerId === from ? { ...campaign, offerId: to } : campaign;
}
