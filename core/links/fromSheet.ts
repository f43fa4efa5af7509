/** What a setup sheet makes: an offer, where none of Parts was chosen, and a campaign. */
import type { CampaignInput } from '../contract/campaigns.ts';
import type { NetworkInput } from '../contract/networks.ts';
import type { OfferInput } from '../contract/offers.ts';
import { wholeBody } from '../contract/parts.ts';
import type { SheetBody } from '../contract/setupSheets.ts';
import type { SourceInput } from '../contract/sources.ts';
import { splitOver } from '../routing/index.ts';
import { outgoingLink } from './compose.ts';

/** The cost model that is meant while none was chosen: what the source tells, else none. */
export function costModelOf(
  sheet: Pick<SheetBody, 'costModel'>,
  source: Pick<SourceInput, 'parameters'> | undefined,
): CampaignInput['costModel'] {
  if (sheet.costModel !== '') return sheet.costModel;
  return source?.parameters.some((p) => p.role === 'cost') ? 'link' : 'none';
}

export function offerOfSheet(
  sheet: SheetBody,
  network: Pick<NetworkInput, 'clickIdParameter' | 'subParameters'> | undefined,
  names: { offer: string; currency: string },
): OfferInput {
  return wholeBody('offer', {
    name: sheet.offerName || names.offer,
    networkId: sheet.networkId,
    link: network ? outgoingLink(sheet.link, network) : sheet.link,
    countries: sheet.country === '' ? [] : [sheet.country],
    product: sheet.product,
    payoutMode: sheet.payoutMode,
    payoutMicros: sheet.payoutMicros,
    currency: sheet.currency || names.currency,
  });
}

export function campaignOfSheet(
  sheet: SheetBody,
  source: Pick<SourceInput, 'parameters'> | undefined,
  names: { campaign: string; currency: string },
): CampaignInput {
  return wholeBody('campaign', {
    name: sheet.campaignName || names.campaign,
    sourceId: sheet.sourceId,
    ...splitOver([
      { landingPageId: sheet.landingPageId, offerId: sheet.offerId, weight: sheet.weight },
      ...sheet.pairings.map((p) => ({ ...p, offerId: p.offerId || sheet.offerId })),
    ]),
    costModel: costModelOf(sheet, source),
    costMicros: sheet.costMicros,
    costCurrency: sheet.costCurrency || names.currency,
    costShare: sheet.costShare,
    costEventTypeId: sheet.costEventTypeId,
    fallbackUrl: sheet.fallbackUrl,
    sendBy: sheet.sendBy,
    account: sheet.account,
    country: sheet.country,
    adFormat: sheet.adFormat,
  });
}
