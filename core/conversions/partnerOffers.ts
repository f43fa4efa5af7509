/** What a partner gets at the offers that a link leads to, and what keeps it from getting anything. */
import type { OfferInput } from '../contract/index.ts';
import { formatAmount } from '../money/index.ts';
import { partnerTerms, type PartnerTerms } from './partnerPayout.ts';

export interface PartnerOffer {
  offer: string;
  /** Sentences. */
  pays: string[];
  troubles: string[];
}

/** `today` is a day in the zone of the offer; `nameOf` tells names of event types. */
export function partnerOffer(
  offer: OfferInput,
  of: { partnerId: string; today: string; nameOf: (eventTypeId: string) => string },
): PartnerOffer {
  const pays = offer.partnerPayouts.flatMap(({ eventTypeId }) => {
    const terms = partnerTerms(offer, { eventTypeId, partnerId: of.partnerId, country: '' });
    return terms ? [`${payWords(terms.pays)} for each ${of.nameOf(eventTypeId)}`] : [];
  });
  const troubles = [
    pays.length === 0 && 'This offer pays partners nothing. Set partner payouts in the offer.',
    offer.sending !== 'live' && `This offer is ${offer.sending}. Its visitors go to the fallback.`,
    offer.sending === 'live' &&
      offer.endsOn !== '' &&
      offer.endsOn < of.today &&
      `This offer ended on ${offer.endsOn}. Its visitors go to the fallback.`,
    offer.sending === 'live' &&
      offer.startsOn > of.today &&
      `This offer starts on ${offer.startsOn}. Until then, its visitors go to the fallback.`,
  ].filter((t) => t !== false);
  return { offer: offer.name, pays, troubles };
}

const MICRO_PERCENT = 1_000_000;
export function payWords(pays: PartnerTerms['pays']): string {
  if ('fixed' in pays) return `${formatAmount(pays.fixed)} ${pays.currency}`;
  return `${Number(pays.share) / MICRO_PERCENT} % of the ${pays.of}`;
}
