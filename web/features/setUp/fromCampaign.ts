/** The chain of a campaign as the start of the next: everything but its name. */
import type { PartKind, PartRecord, SheetBody } from '@tracheon/core/contract';
import { landingPagesOf, offersOf } from '@tracheon/core/routing';

interface Lookup {
  one: <K extends PartKind>(kind: K, id: string) => PartRecord<K> | undefined;
}

export function fromCampaign(campaign: PartRecord<'campaign'>, parts: Lookup): Partial<SheetBody> {
  const { body } = campaign;
  const [offerId = ''] = offersOf(body);
  const offer = parts.one('offer', offerId)?.body;
  return {
    offerId,
    product: offer?.product ?? '',
    country: body.country || (offer?.countries.length === 1 ? offer.countries[0]! : ''),
    sourceId: body.sourceId,
    account: body.account,
    adFormat: body.adFormat,
    landingPageId: landingPagesOf(body)[0] ?? '',
    fallbackUrl: body.fallbackUrl,
    sendBy: body.sendBy,
    costModel: body.costModel,
    costMicros: body.costMicros,
    costCurrency: body.costCurrency,
    payoutMicros: offer?.payoutMicros ?? '',
    payoutMode: offer?.payoutMode ?? 'reported',
    currency: offer?.currency ?? '',
  };
}
