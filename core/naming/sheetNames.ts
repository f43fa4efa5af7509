/** The names that a setup sheet suggests, by the desk's rules; a name that is taken gets a number. */
import type { LandingPageInput } from '../contract/landingPages.ts';
import type { NetworkInput } from '../contract/networks.ts';
import type { OfferInput } from '../contract/offers.ts';
import type { SheetBody } from '../contract/setupSheets.ts';
import type { SourceInput } from '../contract/sources.ts';
import { campaignName } from './campaignName.ts';
import { freeName, nameByRule } from '../contract/nameRule.ts';
import { productWords } from './productWords.ts';

export interface SheetNaming {
  rules: { campaign: string; offer: string };
  network?: Pick<NetworkInput, 'name'> | undefined;
  source?: Pick<SourceInput, 'name'> | undefined;
  offer?: OfferInput | undefined;
  page?: Pick<LandingPageInput, 'name'> | undefined;
  /** Names of the desk that are taken. */
  taken: {
    offers: readonly string[];
    campaigns: readonly string[];
    /** Of networks, sources and pages: an offer called like its network would say nothing. */
    others: readonly string[];
  };
}

export function sheetNames(sheet: SheetBody, n: SheetNaming): { offer: string; campaign: string } {
  const product = sheet.product || (n.offer?.product ?? '') || productWords(sheet.link);
  const offer = nameByRule(n.rules.offer, {
    product,
    country: sheet.country,
    network: n.network?.name ?? '',
  });
  const campaign = campaignName(n.rules.campaign, {
    source: n.source,
    network: n.network,
    page: n.page,
    offer: n.offer ?? { name: sheet.offerName, product, countries: [] },
    country: sheet.country,
    format: sheet.adFormat,
  });
  const others = new Set(n.taken.others.map((name) => name.toLowerCase()));
  const suggest = (name: string, taken: readonly string[]): string =>
    name === '' || others.has(name.toLowerCase()) ? '' : freeName(name, taken);
  return {
    offer: suggest(offer, n.taken.offers),
    campaign: suggest(campaign, n.taken.campaigns),
  };
}
