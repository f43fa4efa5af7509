/** The name that the desk's rule gives a campaign, from the parts that it is made of. */
import type { LandingPageInput } from '../contract/landingPages.ts';
import type { NetworkInput } from '../contract/networks.ts';
import type { OfferInput } from '../contract/offers.ts';
import type { SourceInput } from '../contract/sources.ts';
import { nameByRule } from '../contract/nameRule.ts';

export interface NamedChain {
  source?: Pick<SourceInput, 'name'> | undefined;
  offer?: Pick<OfferInput, 'name' | 'product' | 'countries'> | undefined;
  network?: Pick<NetworkInput, 'name'> | undefined;
  page?: Pick<LandingPageInput, 'name'> | undefined;
  /** The source's ad format; empty for none. */
  format?: string;
  /** Where it buys, when that is known better than by the offer, which may sell in several. */
  country?: string;
}

export function campaignName(
  rule: string,
  { source, offer, network, page, format, country }: NamedChain,
): string {
  return nameByRule(rule, {
    country: country || (offer?.countries[0] ?? ''),
    product: offer?.product || offer?.name || '',
    source: source?.name ?? '',
    network: network?.name ?? '',
    offer: offer?.name ?? '',
    page: page?.name ?? '',
    format: format ?? '',
  });
}
