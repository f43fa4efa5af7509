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
  const { visitor, before, random, oddsOf } = arrival;
  const { nowMs } = visitor;
  // Mostly the pairing asked about last is the one that is taken: its offer is not looked for again.
  let asked: CompiledPairing | undefined;
  let open: CompiledOffer | undefined;
  const takes = (p: CompiledPairing): boolean => {
    asked = p;
    open = firstOpen(p, nowMs, isCapped);
    return open !== undefined;
  };
  const odds = oddsOf && ((pairingId: string) => oddsOf(campaign.id, pairingId));
  const { way, pairing, isOpen } = decide(campaign.branches, { visitor, takes, before, random, odds });
  if (isOpen && campaign.sending) {
    const offer = (asked === pairing ? open : firstOpen(pairing, nowMs, isCapped))!;
    return { fate: 'sent', branchId: way.id, pairing, offer, address: null };
  }
  return otherwise(campaign, snapshot, { branchId: way.id, pairing }, nowMs, isCapped);
}

const firstOpen = (
  { offers }: CompiledPairing,
  nowMs: number,
  isCapped: IsCapped,
): CompiledOffer | undefined => {
  for (const offer of offers) if (takesVisitors(offer, nowMs, isCapped)) return offer;
  return undefined;
};

/** The campaign is paused, or its pairing has no offer that takes visitors. */
function otherwise(
  campaign: CompiledCampaign,
  snapshot: Snapshot,
  taken: Pick<Target, 'branchId' | 'pairing'>,
  nowMs: number,
  isCapped: IsCapped,
): Target {
  const first = taken.pairing.offers[0]!;
  const ofOffer = () => fallbackOf(first, withFallbacks(first, snapshot, nowMs, isCapped));
  const sentTo = (fate: VisitFate, to: Destination): Target => ({ ...taken, fate, ...to });
  if (!campaign.sending)
    return sentTo('paused', campaign.fallback ? addressOf(campaign.fallback) : (ofOffer() ?? NOWHERE));
  const instead = ofOffer();
  if (instead) return sentTo('offer_fallback', instead);
  if (campaign.fallback) return sentTo('campaign_fallback', addressOf(campaign.fallback));
  const ofDesk = snapshot.deskFallbacks.get(campaign.deskId);
  return ofDesk ? sentTo('desk_fallback', addressOf(ofDesk)) : sentTo('no_offer', NOWHERE);
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
