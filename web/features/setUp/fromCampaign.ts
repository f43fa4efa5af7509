/** The chain of a campaign as the start of the next: everything but its name. */
import { MAX_SHEET_PAIRINGS, type PartKind, type PartRecord, type SheetBody } from '@tracheon/core/contract';
import { branchesOf, landingPagesOf, OTHERWISE, offersOf } from '@tracheon/core/routing';

interface Lookup {
  one: <K extends PartKind>(kind: K, id: string) => PartRecord<K> | undefined;
}

export function fromCampaign(campaign: PartRecord<'campaign'>, parts: Lookup): Partial<SheetBody> {
  const { body } = campaign;
  const pairings = branchesOf(body).find((way) => way.id === OTHERWISE)!.pairings;
  const [first, ...more] = pairings.filter((p) => p.isOn).slice(0, MAX_SHEET_PAIRINGS + 1);
  const offerId = first?.offerIds[0] ?? offersOf(body)[0] ?? '';
  const offer = parts.one('offer', offerId)?.body;
  return {
    offerId,
    product: offer?.product ?? '',
    country: body.country || (offer?.countries.length === 1 ? offer.countries[0]! : ''),
    sourceId: body.sourceId,
    account: body.account,
    adFormat: body.adFormat,
    landingPageId: first?.landingPageId ?? landingPagesOf(body)[0] ?? '',
    weight: first?.weight ?? 1,
    pairings: more.map((p) => ({
      landingPageId: p.landingPageId,
      offerId: p.offerIds[0] ?? '',
      weight: p.weight,
    })),
    fallbackUrl: body.fallbackUrl,
    sendBy: body.sendBy,
    costModel: body.costModel,
    costMicros: body.costMicros,
    costCurrency: body.costCurrency,
    costShare: body.costShare,
    costEventTypeId: body.costEventTypeId,
    payoutMicros: offer?.payoutMicros ?? '',
    payoutMode: offer?.payoutMode ?? 'reported',
    currency: offer?.currency ?? '',
  };
}
