/**
 * Which entry each visit follows, and what is left of each entry for those visits. Visits come as cells: how many there are
 * with the same values in the same stretch of time. The rules, in the order in which they apply:
 *
 * - A visit follows the strongest entry whose scope it is in.
 * - An entry that lies inside a stronger one (the same scope entered again, or a feed inside a file) counts for nothing.
 * - What stronger entries inside an entry leave of it is spread over the visits that follow it, never below zero; of a
 *   stronger entry that overlaps it only in part, the share of the visits that both cover is deducted.
 * - What is left with no visit to follow it is unallocated: it keeps its entry's values.
 * - A credit is spread over all visits of its scope, whatever they follow.
 *
 * So the total of all entries is never lost and never doubled. Entries in another currency than the one around them are
 * not deducted from it.
 */
import type { Micros } from '../money/index.ts';
import { compareStrength, scopeKey, scopeNames, type CostEntry, type CostScope } from './entries.ts';

export interface CostCell extends CostScope {
  /** A moment in the stretch of time; no entry begins or ends within the stretch. */
  at: number;
  count: number;
  /** Its visits have a cost of their own from the link, which wins over a model. */
  hasLinkCost: boolean;
}

/** `each` for every visit, and one micro-unit more for the first `more` of them in the order of visits. */
export interface Spread {
  entry: CostEntry;
  amount: Micros;
  visits: number;
  each: Micros;
  more: number;
}
export interface Settled {
  /** By cell: the entry that its visits follow, by its place in `spreads`; -1: none. */
  follows: number[];
  /** By cell: credits, by their places in `spreads`. */
  credits: number[][];
  spreads: Spread[];
  unallocated: { entry: CostEntry; amount: Micros }[];
}

interface Rated {
  entry: CostEntry;
  names: string[];
  rank: number;
  /** What is left of it; known once it was its turn. */
  own: Micros;
  /** It lies inside a stronger entry. */
  isSuperseded: boolean;
  /** There are visits in its scope, whatever they follow. */
  isMatched: boolean;
  /** Cells whose visits follow it. */
  cells: number[];
  visits: number;
  /** Stronger entries that overlap it in part, with the visits that both cover. */
  overlaps: Map<Rated, number>;
}

/** Entries by the names that their scopes are narrowed by, and then by values: found without looking at each. */
class Shapes {
  private readonly shapes = new Map<string, { names: string[]; byKey: Map<string, Rated[]> }>();
  constructor(all: readonly Rated[]) {
    for (const rated of all) {
      const name = rated.names.join('\0');
      const shape = this.shapes.get(name) ?? { names: rated.names, byKey: new Map<string, Rated[]>() };
      this.shapes.set(name, shape);
      const key = scopeKey(rated.entry, shape.names);
      const list = shape.byKey.get(key);
      if (list) list.push(rated);
      else shape.byKey.set(key, [rated]);
    }
  }
  /** Entries whose values `scope` has. */
  *around(scope: CostScope): Generator<Rated> {
    for (const { names, byKey } of this.shapes.values()) yield* byKey.get(scopeKey(scope, names)) ?? [];
  }
}

const rate = (entry: CostEntry): Rated => ({
  entry,
  names: scopeNames(entry),
  rank: 0,
  own: 0n,
  isSuperseded: false,
  isMatched: false,
  cells: [],
  visits: 0,
  overlaps: new Map(),
});

export function settle(entries: readonly CostEntry[], cells: readonly CostCell[]): Settled {
  const ranked = entries
    .filter((e) => !e.isCredit)
    .sort(compareStrength)
    .map(rate);
  ranked.forEach((r, i) => (r.rank = i));
  const shapes = new Shapes(ranked);
  markSuperseded(ranked, shapes);
  assign(cells, shapes);
  const inside = insiders(ranked, shapes);
  for (const rated of ranked) rated.own = left(rated, inside.get(rated) ?? []);
  const settled = written(ranked, cells.length);
  addCredits(settled, entries, cells);
  return settled;
}

const covers = (outer: CostEntry, inner: CostEntry): boolean =>
  outer.from <= inner.from && outer.to >= inner.to;

/** `around` gives entries whose scope is as wide or wider; the period decides. */
function markSuperseded(ranked: readonly Rated[], shapes: Shapes): void {
  for (const rated of ranked)
    for (const other of shapes.around(rated.entry))
      if (other.rank < rated.rank && !other.isSuperseded && covers(other.entry, rated.entry)) {
        rated.isSuperseded = true;
        break;
      }
}

function assign(cells: readonly CostCell[], shapes: Shapes): void {
  cells.forEach((cell, i) => {
    const found: Rated[] = [];
    for (const rated of shapes.around(cell))
      if (!rated.isSuperseded && rated.entry.from <= cell.at && cell.at < rated.entry.to) {
        rated.isMatched = true;
        if (!(cell.hasLinkCost && rated.entry.channel === 'model')) found.push(rated);
      }
    if (found.length === 0) return;
    found.sort((a, b) => a.rank - b.rank);
    const winner = found[0]!;
    winner.cells.push(i);
    winner.visits += cell.count;
    for (const other of found.slice(1)) {
      if (covers(other.entry, winner.entry) && isWithin(winner, other)) continue;
      other.overlaps.set(winner, (other.overlaps.get(winner) ?? 0) + cell.count);
    }
  });
}

/** Whether the scope of the first is as narrow as the second's, or narrower. */
const isWithin = (inner: Rated, outer: Rated): boolean =>
  outer.names.every((name) => inner.names.includes(name)) &&
  scopeKey(inner.entry, outer.names) === scopeKey(outer.entry, outer.names);

/** Stronger entries that lie inside each. */
function insiders(ranked: readonly Rated[], shapes: Shapes): Map<Rated, Rated[]> {
  const inside = new Map<Rated, Rated[]>();
  for (const inner of ranked) {
    if (inner.isSuperseded) continue;
    for (const outer of shapes.around(inner.entry))
      if (outer.rank > inner.rank && !outer.isSuperseded && covers(outer.entry, inner.entry)) {
        const list = inside.get(outer);
        if (list) list.push(inner);
        else inside.set(outer, [inner]);
      }
  }
  return inside;
}

/** Those inside it come before it in rank, so that what is left of them is known. */
function left(rated: Rated, inside: readonly Rated[]): Micros {
  if (rated.isSuperseded) return 0n;
  const { amount, currency } = rated.entry;
  let rest = amount;
  for (const other of inside) if (other.entry.currency === currency) rest -= other.own;
  for (const [other, shared] of rated.overlaps)
    if (other.entry.currency === currency && other.visits > 0)
      rest -= (other.own * BigInt(shared)) / BigInt(other.visits);
  return rest < 0n ? 0n : rest;
}

const HUNDRED_PERCENT = 100_000_000n;
/** With the fee on top, rounded half away from zero. */
export const withFee = (amount: Micros, feePercent: bigint): Micros =>
  amount + (2n * amount * feePercent + HUNDRED_PERCENT) / (2n * HUNDRED_PERCENT);

const spreadOf = (entry: CostEntry, amount: Micros, visits: number): Spread => ({
  entry,
  amount,
  visits,
  each: amount / BigInt(visits),
  more: Number(amount % BigInt(visits)),
});

function written(ranked: readonly Rated[], count: number): Settled {
  const settled: Settled = {
    follows: new Array<number>(count).fill(-1),
    credits: Array.from({ length: count }, () => []),
    spreads: [],
    unallocated: [],
  };
  for (const { entry, own, isSuperseded, visits, cells, isMatched } of ranked) {
    if (isSuperseded) continue;
    const amount = withFee(own, entry.feePercent);
    if (visits > 0) {
      for (const cell of cells) settled.follows[cell] = settled.spreads.length;
      settled.spreads.push(spreadOf(entry, amount, visits));
      // What a model estimates for visits of which more is known is no cost.
    } else if (amount > 0n && !(entry.channel === 'model' && isMatched))
      settled.unallocated.push({ entry, amount });
  }
  return settled;
}

function addCredits(settled: Settled, entries: readonly CostEntry[], cells: readonly CostCell[]): void {
  const rated = entries.filter((e) => e.isCredit && e.amount > 0n).map(rate);
  const shapes = new Shapes(rated);
  cells.forEach((cell, i) => {
    for (const credit of shapes.around(cell))
      if (credit.entry.from <= cell.at && cell.at < credit.entry.to) {
        credit.cells.push(i);
        credit.visits += cell.count;
      }
  });
  for (const { entry, visits, cells: own } of rated) {
    if (visits === 0) {
      settled.unallocated.push({ entry, amount: -entry.amount });
      continue;
    }
    for (const cell of own) settled.credits[cell]!.push(settled.spreads.length);
    settled.spreads.push(spreadOf(entry, entry.amount, visits));
  }
}
