/**
 * Where a visit goes: to an offer of the pairing that its branch gives it. When nothing of the branch takes visitors, to what
 * the offer of the pairing drawn first, the campaign or the desk falls back on, in this order. A paused campaign falls back on its own address before its offer's. An offer takes
 * visitors while it is live, between its days, and under its cap.
 */
import type { RoutingVisitor } from '@tracheon/core/conditions';
import type { CompiledLink } from '@tracheon/core/links';
import { decide } from '@tracheon/core/routing';
import type { VisitFate } from '@tracheon/core/visits';
import type { CompiledCampaign, CompiledOffer, CompiledPairing, Snapshot } from '../snapshot/compiled.ts';

/**
 * True for an offer that a cap keeps visitors from. Its conversions are counted beside the visits, so that this lags by some
 * seconds; its visits are exact. `partnerId` is of the partner who brought the visitor: some caps are a partner's own.
 */
export type IsCapped = (offerId: string, partnerId?: string) => boolean;

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

/** Who is to be sent somewhere, and what chance has in it. */
export interface Arrival {
  visitor: RoutingVisitor;
  /** The pairing of the visitor's cookie; empty: none. */
  before: string;
  random: () => number;
  /** Of automatic splits. */
  oddsOf?: OddsOf;
}
/** Of a pairing of this campaign; undefined while none have been computed: an even split. */
export type OddsOf = (campaignId: string, pairingId: string) => number | undefined;

export function route(
  campaign: CompiledCampaign,
  snapshot: Snapshot,
  arrival: Arrival,
  isCapped: IsCapped,
): Target {
  const { nowMs } = arrival.visitor;
  const openOf = ({ offers }: CompiledPairing): CompiledOffer | undefined =>
    offers.find((o) => takesVisitors(o, nowMs, isCapped));
  const { way, pairing, isOpen } = decide(campaign.branches, {
    ...arrival,
    odds: arrival.oddsOf && ((pairingId) => arrival.oddsOf!(campaign.id, pairingId)),
    takes: (p) => openOf(p) !== undefined,
  });
  const taken = { branchId: way.id, pairing };
  const first = pairing.offers[0]!;
  const offers = () => withFallbacks(first, snapshot, nowMs, isCapped);
  if (!campaign.sending) {
    const to = campaign.fallback ? addressOf(campaign.fallback) : fallbackOf(first, offers());
    return { ...taken, fate: 'paused', ...(to ?? NOWHERE) };
  }
  if (isOpen) return { ...taken, fate: 'sent', offer: openOf(pairing)!, address: null };
  const ofOffer = fallbackOf(first, offers());
  if (ofOffer) return { ...taken, fate: 'offer_fallback', ...ofOffer };
  if (campaign.fallback) return { ...taken, fate: 'campaign_fallback', ...addressOf(campaign.fallback) };
  const ofDesk = snapshot.deskFallbacks.get(campaign.deskId);
  if (ofDesk) return { ...taken, fate: 'desk_fallback', ...addressOf(ofDesk) };
  return { ...taken, fate: 'no_offer', ...NOWHERE };
}

const NOWHERE: Destination = Object.freeze({ offer: null, address: null });
const addressOf = (address: CompiledLink): Destination => ({ offer: null, address });

/** Where a button's offer sends the visitor now: to itself, or to what it falls back on; null when it has nothing open. */
export function onwardFrom(
  offer: CompiledOffer,
  snapshot: Snapshot,
  nowMs: number,
  isCapped: IsCapped,
): Destination | null {
  if (takesVisitors(offer, nowMs, isCapped)) return { offer, address: null };
  return fallbackOf(offer, withFallbacks(offer, snapshot, nowMs, isCapped));
}

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
    !isCapped(offer.part.id)
  );
}
