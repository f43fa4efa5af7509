/**
 * Where a visit goes: to the offer of its pairing, as long as that takes visitors; else to what the offer, the campaign or
 * the desk falls back on, in this order. A paused campaign falls back on its own address before its offer's. An offer takes
 * visitors while it is live, between its days, and under its cap.
 */
import type { VisitFate } from '@tracheon/core/visits';
import type { OfferInput } from '@tracheon/core/contract';
import type { CompiledCampaign, CompiledLink, CompiledOffer, CompiledPairing, Snapshot } from './snapshot.ts';

/** True for an offer whose cap is reached. Counted beside the visits, so that it lags by some seconds. */
export type IsCapped = (offerId: string) => boolean;

/** An offer, or an address to fall back on; neither: nowhere. */
export interface Destination {
  offer: CompiledOffer | null;
  address: CompiledLink | null;
}
export interface Target extends Destination {
  fate: VisitFate;
  branchId: string;
  pairing: CompiledPairing;
}

/** Longer chains of fallbacks are a mistake. */
const MAX_FALLBACKS = 3;

export function route(
  campaign: CompiledCampaign,
  snapshot: Snapshot,
  nowMs: number,
  isCapped: IsCapped,
): Target {
  // One branch with one pairing, until a campaign can have more.
  const branch = campaign.branches[0]!;
  const pairing = branch.pairings[0]!;
  const taken = { branchId: branch.id, pairing };
  const first = pairing.offers[0]!;
  const offers = () => withFallbacks(first, snapshot, nowMs, isCapped);
  if (!campaign.sending) {
    const to = campaign.fallback ? addressOf(campaign.fallback) : fallbackOf(first, offers());
    return { ...taken, fate: 'paused', ...(to ?? NOWHERE) };
  }
  if (takesVisitors(first, nowMs, isCapped)) return { ...taken, fate: 'sent', offer: first, address: null };
  const ofOffer = fallbackOf(first, offers());
  if (ofOffer) return { ...taken, fate: 'offer_fallback', ...ofOffer };
  if (campaign.fallback) return { ...taken, fate: 'campaign_fallback', ...addressOf(campaign.fallback) };
  const ofDesk = snapshot.deskFallbacks.get(campaign.deskId);
  if (ofDesk) return { ...taken, fate: 'desk_fallback', ...addressOf(ofDesk) };
  return { ...taken, fate: 'no_offer', ...NOWHERE };
}

const NOWHERE: Destination = Object.freeze({ offer: null, address: null });
const addressOf = (address: CompiledLink): Destination => ({ offer: null, address });

/** The first of the offer's fallbacks that takes visitors, else its own address; null when it has neither. */
function fallbackOf(first: CompiledOffer, open: CompiledOffer | null): Destination | null {
  if (open) return { offer: open, address: null };
  return first.fallback && addressOf(first.fallback);
}

function withFallbacks(
  first: CompiledOffer,
  snapshot: Snapshot,
  nowMs: number,
  isCapped: IsCapped,
): CompiledOffer | null {
  let offer = snapshot.offers.get(first.part.body.fallbackOfferId);
  for (let step = 0; offer && step < MAX_FALLBACKS; step++) {
    if (offer.part.id !== first.part.id && takesVisitors(offer, nowMs, isCapped)) return offer;
    offer = snapshot.offers.get(offer.part.body.fallbackOfferId);
  }
  return null;
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
