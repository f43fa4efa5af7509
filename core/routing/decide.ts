/**
 * Which branch and which pairing a visit gets. A chosen branch never falls through to a later one. A pairing is drawn by weight;
 * when it cannot take the visitor, another is drawn among those that can, which gives exactly the shares of their weights.
 * When none can, the one drawn first says whose fallback comes next.
 */
import type { Way } from '../contract/index.ts';
import { drawWeighted } from './choose.ts';
import type { Holds, RoutingVisitor } from '../conditions/index.ts';

export interface Weighed {
  id: string;
  weight: number;
  isOn: boolean;
  /** Moments between which it takes visitors, in ms since 1970. */
  fromMs: number;
  toMs: number;
}
export interface CompiledWay<P extends Weighed> {
  id: string;
  name: string;
  /** null: takes whoever comes this far. */
  holds: Holds | null;
  pairings: readonly P[];
  /** As they are drawn by: 0 for a pairing that is off, 1 for each of an even or automatic split. */
  weights: readonly number[];
  /** Drawn by odds, where they are known. */
  isAutomatic: boolean;
  /** Some pairing has its time. */
  hasTimes: boolean;
}

export interface Chance<P extends Weighed> {
  visitor: RoutingVisitor;
  /** Whether the pairing can take this visitor now. */
  takes: (pairing: P) => boolean;
  /** The pairing that a returning visitor had before; empty: none. */
  before: string;
  random: () => number;
  /** The odds of a pairing of an automatic split; undefined: not known yet. */
  odds?: (pairingId: string) => number | undefined;
}
export interface Decision<P extends Weighed> {
  way: CompiledWay<P>;
  pairing: P;
  /** False when no pairing of the branch can take the visitor. */
  isOpen: boolean;
}

/** The last way has no condition. */
export function decide<P extends Weighed>(
  ways: readonly CompiledWay<P>[],
  { visitor, takes, before, random, odds }: Chance<P>,
): Decision<P> {
  let way = ways[ways.length - 1]!;
  for (const one of ways)
    if (one.holds === null || one.holds(visitor)) {
      way = one;
      break;
    }
  const { pairings } = way;
  const drawnBy = way.isAutomatic && odds ? weightsByOdds(way, odds) : way.weights;
  const weights = way.hasTimes ? weightsAt(way, drawnBy, visitor.nowMs) : drawnBy;
  if (before !== '') {
    const i = pairings.findIndex((p) => p.id === before);
    if (i >= 0 && weights[i]! > 0 && takes(pairings[i]!)) return { way, pairing: pairings[i]!, isOpen: true };
  }
  const drawn = drawWeighted(weights, random());
  const first = pairings[drawn] ?? pairings[0]!;
  if (drawn >= 0 && takes(first)) return { way, pairing: first, isOpen: true };
  const open = pairings.map((p, i) => (i !== drawn && weights[i]! > 0 && takes(p) ? weights[i]! : 0));
  const again = drawWeighted(open, random());
  return again < 0
    ? { way, pairing: first, isOpen: false }
    : { way, pairing: pairings[again]!, isOpen: true };
}

/** A pairing without odds is new: until it has its own, it is drawn as often as the others on average. */
function weightsByOdds<P extends Weighed>(
  { pairings, weights }: CompiledWay<P>,
  odds: (pairingId: string) => number | undefined,
): readonly number[] {
  const known = pairings.map((p, i) => (weights[i]! > 0 ? odds(p.id) : 0));
  const told = known.filter((o): o is number => o !== undefined && o > 0);
  if (told.length === 0) return weights;
  const mean = told.reduce((sum, o) => sum + o, 0) / told.length;
  return known.map((o) => o ?? mean);
}

const weightsAt = <P extends Weighed>(
  { pairings }: CompiledWay<P>,
  weights: readonly number[],
  nowMs: number,
): number[] => pairings.map((p, i) => (nowMs >= p.fromMs && nowMs < p.toMs ? weights[i]! : 0));

/** The weights that a split draws by. */
export function weightsOf(split: Way['split'], pairings: readonly Weighed[]): number[] {
  return pairings.map((p) => (!p.isOn || p.weight <= 0 ? 0 : split === 'weights' ? p.weight : 1));
}
