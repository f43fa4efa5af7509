/** What does not agree along a campaign's whole chain, and belongs to no single link of it. */
import type { CampaignInput, NetworkInput, OfferInput, SourceInput } from '../contract/index.ts';
import type { FindingCode } from './finding.ts';

export interface ChainFinding {
  code: FindingCode;
  /** Where it is put right. */
  at: 'source' | 'offer' | 'network' | 'campaign';
  sentence: string;
}
export interface Chain {
  campaign: Pick<CampaignInput, 'costModel' | 'costCurrency'>;
  source: Pick<SourceInput, 'name' | 'costCurrency' | 'reportPayout' | 'postbackUrl'>;
  offer: Pick<OfferInput, 'name' | 'currency' | 'payoutMode' | 'payoutMicros' | 'payouts'>;
  network: Pick<NetworkInput, 'name' | 'fields'>;
  deskCurrency: string;
}

/** The payout is taken from the postback, which has none, and the offer has no default one. */
export const hasNoPayout = (offer: Chain['offer'], network: Pick<NetworkInput, 'fields'>): boolean =>
  offer.payoutMode === 'reported' &&
  offer.payoutMicros === '' &&
  offer.payouts.length === 0 &&
  network.fields.payout.macro === '';

export function checkChain({ campaign, source, offer, network, deskCurrency }: Chain): ChainFinding[] {
  const found: ChainFinding[] = [];
  const cost =
    campaign.costModel === 'link'
      ? source.costCurrency
      : campaign.costModel === 'visit'
        ? campaign.costCurrency
        : null;
  if (cost !== null && cost !== offer.currency)
    found.push({
      code: 'currency_differs',
      at: 'campaign',
      sentence: `Cost is in ${cost}, the payout in ${offer.currency}: both are converted to ${deskCurrency} by day.`,
    });
  const tells =
    /\{[^}]*payout[^}]*\}/.test(source.postbackUrl) && !/payout_currency/.test(source.postbackUrl);
  if (tells && source.reportPayout === 'booked' && offer.currency !== source.costCurrency)
    found.push({
      code: 'currency_differs',
      at: 'source',
      sentence: `${source.name} gets the payout in ${offer.currency} without a currency, but bills in ${source.costCurrency}. It would read the wrong amount. Set “Payout to report” of the source to converted.`,
    });
  if (hasNoPayout(offer, network))
    found.push({
      code: 'no_payout_macro',
      at: 'network',
      sentence: `${offer.name} uses the reported payout, but the postback URL of ${network.name} has no payout macro. Conversions would have no payout. Add the macro or a default payout.`,
    });
  return found;
}
