/**
 * Many visitors sent through a routing on paper: how many go each way, and what is spent on those whom no offer takes or whom
 * their offer does not want. Decided by the same code as real visits.
 */
import type { RoutingVisitor } from '../conditions/index.ts';
import { branchesOf, decide, type Routed } from '../routing/index.ts';
import { compileWay } from './compileWay.ts';

export interface RehearsedOffer {
  /** It takes visitors now. */
  isOpen: boolean;
  /** Where it sells; none: everywhere. */
  countries: readonly string[];
}
export interface ManyGround {
  zone: string;
  nowMs: number;
  /** Undefined for an offer that is not there. */
  offerOf: (offerId: string) => RehearsedOffer | undefined;
  /** Of a pairing of an automatic split; undefined: not known. */
  oddsOf: (pairingId: string) => number | undefined;
  random: () => number;
}
export interface ManyVisitor {
  visitor: RoutingVisitor;
  /** null: not known. */
  costMicros: bigint | null;
}

export interface Tally {
  visits: number;
  spentMicros: bigint;
}
export interface ManyResult {
  all: Tally;
  /** By `way|pairing|offer`; the offer is empty where none takes the visitor. */
  ways: Map<string, Tally>;
  /** No offer of their branch takes visitors: they go to a fallback. */
  untaken: Tally;
  /** Their offer does not sell in their country. */
  unwanted: Tally;
}
const none = (): Tally => ({ visits: 0, spentMicros: 0n });
export const noResult = (): ManyResult => ({
  all: none(),
  ways: new Map(),
  untaken: none(),
  unwanted: none(),
});

function add(tally: Tally, costMicros: bigint | null): void {
  tally.visits += 1;
  tally.spentMicros += costMicros ?? 0n;
}

/**
 * Sends one visitor after the other. The visitors of last week are sent as of now: hours and weekdays are those of their
 * visit, while a pairing's own times are those of today. Throws on a condition that is none.
 */
export function manyRehearser(
  routed: Routed,
  ground: ManyGround,
): (one: ManyVisitor, into: ManyResult) => void {
  const { nowMs, offerOf, oddsOf, random } = ground;
  const isNow = (fromMs: number, toMs: number): boolean => nowMs >= fromMs && nowMs < toMs;
  const ways = branchesOf(routed).map((way) => {
    const compiled = compileWay(way, ground.zone, ({ offerIds }) => ({ offerIds }));
    const weights = compiled.pairings.map((p, i) => (isNow(p.fromMs, p.toMs) ? compiled.weights[i]! : 0));
    return { ...compiled, weights, hasTimes: false };
  });
  const openOf = (offerIds: readonly string[]): string | undefined =>
    offerIds.find((id) => offerOf(id)?.isOpen);
  return ({ visitor, costMicros }, into) => {
    const { way, pairing, isOpen } = decide(ways, {
      visitor,
      takes: (p) => openOf(p.offerIds) !== undefined,
      before: '',
      random,
      odds: oddsOf,
    });
    const offerId = isOpen ? openOf(pairing.offerIds)! : '';
    const key = `${way.id}|${pairing.id}|${offerId}`;
    const tally = into.ways.get(key) ?? none();
    into.ways.set(key, tally);
    add(into.all, costMicros);
    add(tally, costMicros);
    const { country } = visitor.visit;
    const countries = offerOf(offerId)?.countries ?? [];
    if (!isOpen) add(into.untaken, costMicros);
    else if (countries.length > 0 && country !== '' && !countries.includes(country))
      add(into.unwanted, costMicros);
  };
}
