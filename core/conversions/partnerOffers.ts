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

/** What a partner gets at an offer, by event type, in words for the partner; other amounts of countries are named. */
export function promotedPays(
  offer: OfferInput,
  of: { partnerId: string; nameOf: (eventTypeId: string) => string },
): { event: string; amount: string; approval: string }[] {
  return offer.partnerPayouts.flatMap((payable) => {
    const { eventTypeId } = payable;
    const inCountry = (country: string): string => {
      const terms = partnerTerms(offer, { eventTypeId, partnerId: of.partnerId, country });
      return terms ? payWords(terms.pays) : '';
    };
    const plain = inCountry('');
    const countries = [...new Set(payable.exceptions.map((e) => e.country))].filter((c) => c !== '').sort();
    const others = countries.filter((c) => inCountry(c) !== plain).map((c) => `${c}: ${inCountry(c)}`);
    const approval = {
      advertiser: 'Paid when the advertiser approves it.',
      member: 'Paid after a review.',
      days: `Paid after ${payable.afterDays} days unless it is rejected.`,
    }[payable.approval];
    return [{ event: of.nameOf(eventTypeId), amount: [plain, ...others].join(' · '), approval }];
  });
}

/** Whether visitors reach the offer on a day of its zone; null: partners are shown nothing of it. */
export function promotedState(
  { sending, startsOn, endsOn }: Pick<OfferInput, 'sending' | 'startsOn' | 'endsOn'>,
  today: string,
): 'live' | 'not begun' | 'paused' | 'ended' | null {
  if (sending === 'draft') return null;
  if (sending === 'ended' || (endsOn !== '' && endsOn < today)) return 'ended';
  if (sending === 'waiting' || startsOn > today) return 'not begun';
  return sending;
}

/** Caps that are a partner's own, in words for the partner; those of all visitors together are the desk's business. */
export const promotedCaps = (
  { moreCaps, currency }: Pick<OfferInput, 'moreCaps' | 'currency'>,
  partnerId: string,
): string[] =>
  moreCaps
    .filter((c) => c.measure !== 'revenue' && (c.who === 'each' || c.partnerId === partnerId))
    .map(({ measure, count, amountMicros, period }) => {
      const most =
        measure === 'conversions'
          ? `${count} conversion${count === 1 ? '' : 's'}`
          : `${formatAmount(BigInt(amountMicros))} ${currency}`;
      return `At most ${most} ${period === 'total' ? 'in total' : `per ${period}`}`;
    });
