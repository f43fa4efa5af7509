/**
 * Which offer a visit goes to: the campaign's, as long as it can take visitors; else what it falls back on. An offer
 * takes visitors while it is live, between its days, and under its cap.
 */
import type { OfferInput } from '@tracheon/core/contract';
import type { CompiledLink, CompiledOffer, Snapshot } from './snapshot.ts';

/** True for an offer whose cap is reached. Counted beside the visits, so that it lags by some seconds. */
export type IsCapped = (offerId: string) => boolean;

export type Target = { offer: CompiledOffer; isFallback: boolean } | { link: CompiledLink } | null;

/** Longer chains of fallbacks are a mistake. */
const MAX_FALLBACKS = 3;

export function targetNow(
  first: CompiledOffer,
  snapshot: Snapshot,
  nowMs: number,
  isCapped: IsCapped,
): Target {
  let offer: CompiledOffer | undefined = first;
  for (let step = 0; offer && step <= MAX_FALLBACKS; step++) {
    if (takesVisitors(offer, nowMs, isCapped)) return { offer, isFallback: step > 0 };
    if (offer.part.body.fallbackOfferId === '') break;
    offer = snapshot.offers.get(offer.part.body.fallbackOfferId);
  }
  return first.fallback ? { link: first.fallback } : null;
}

export function takesVisitors(offer: CompiledOffer, nowMs: number, isCapped: IsCapped): boolean {
  return (
    offer.part.body.sending === 'live' &&
    nowMs >= offer.fromMs &&
    nowMs < offer.untilMs &&
    !(offer.part.body.capCount > 0 && isCapped(offer.part.id))
  );
}

/** First and last moment of an offer's days in its zone: from the start of its first to the end of its last. */
export function offerDays(
  body: Pick<OfferInput, 'startsOn' | 'endsOn' | 'zone'>,
  deskZone: string,
): { fromMs: number; untilMs: number } {
  const zone = body.zone || deskZone;
  return {
    fromMs: body.startsOn === '' ? -Infinity : startOfDay(body.startsOn, zone),
    untilMs: body.endsOn === '' ? Infinity : startOfDay(nextDay(body.endsOn), zone),
  };
}

const DAY_MS = 86_400_000;
const nextDay = (day: string): string => new Date(Date.parse(day) + DAY_MS).toISOString().slice(0, 10);

/** The moment at which a local day begins: midnight, or the first moment after a gap at midnight. */
export function startOfDay(day: string, zone: string): number {
  const midnight = Date.parse(`${day}T00:00:00Z`);
  // Offsets around it; the one that leads to that very day and is the earliest.
  for (let ms = midnight - 14 * 3_600_000; ; ms += 900_000) {
    if (dayIn(ms, zone) >= day) return ms;
  }
}

const formats = new Map<string, Intl.DateTimeFormat>();
function dayIn(ms: number, zone: string): string {
  let format = formats.get(zone);
  if (!format) formats.set(zone, (format = new Intl.DateTimeFormat('sv-SE', { timeZone: zone })));
  return format.format(ms);
}
