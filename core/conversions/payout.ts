/** What an offer pays for an event: the row of its table that fits best, as the table stood when the visit went out. */
import type { OfferInput } from '../contract/offers.ts';
import type { Micros } from '../money/index.ts';

export interface PayoutTerms {
  /** Counts whatever is reported; null: what is reported counts. */
  fixed: Micros | null;
  /** Counts when nothing is reported; null: nothing does. */
  otherwise: Micros | null;
}

type Terms = Pick<OfferInput, 'payoutMode' | 'payoutMicros' | 'payouts'>;

/**
 * Of the rows that hold on the visit's day, the event type's own go before those of any, then the country's own before
 * those of any, then the latest. No row: the offer's plain amount.
 */
export function payoutTerms(
  offer: Terms,
  eventTypeId: string,
  country: string,
  visitDay: string,
): PayoutTerms {
  const rows = (offer.payouts ?? []).filter(
    (r) =>
      (r.eventTypeId === '' || r.eventTypeId === eventTypeId) &&
      (r.country === '' || r.country === country) &&
      (r.validFrom === '' || r.validFrom <= visitDay),
  );
  const rank = (r: (typeof rows)[number]): [number, number, string] => [
    r.eventTypeId === '' ? 0 : 1,
    r.country === '' ? 0 : 1,
    r.validFrom,
  ];
  const better = (a: (typeof rows)[number], b: (typeof rows)[number]): boolean => {
    const [x, y] = [rank(a), rank(b)];
    const at = x.findIndex((v, i) => v !== y[i]);
    return at >= 0 && x[at]! > y[at]!;
  };
  const best = rows.reduce<(typeof rows)[number] | null>(
    (top, r) => (top === null || better(r, top) ? r : top),
    null,
  );
  const amount = best
    ? BigInt(best.amountMicros)
    : offer.payoutMicros === ''
      ? null
      : BigInt(offer.payoutMicros);
  return offer.payoutMode === 'fixed'
    ? { fixed: amount, otherwise: null }
    : { fixed: null, otherwise: amount };
}
