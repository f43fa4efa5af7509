/**
 * What a feed has told about one day, as sets: each fetch is a set of its own, and what stands follows from all of them.
 * - The latest complete final decides. What it names is approved; what it does not name, but some other set does, is rejected.
 * - Without one, the latest estimate of each key stands, pending or approved as the provider means it.
 * - An estimate never follows a final, whatever time it tells.
 * So what stands does not depend on the order in which sets arrive, nor on one that arrives twice. `standingOf` says it
 * plainly, and is what `registers.ts` is held against.
 */
import type { Micros } from '../money/index.ts';

/** A row's part for one event type. `key`: what the row says of the visit, as it came. */
export interface FeedEntry {
  key: string;
  eventTypeId: string;
  amount: Micros;
  currency: string;
}
export interface FeedSet {
  /** Tells sets of the same moment apart. */
  id: string;
  /** The moment of which it tells, in ms since 1970. */
  asOf: number;
  isFinal: boolean;
  /** All pages came, and as many rows and as much money as the provider stated. */
  isComplete: boolean;
  /** It is empty, or far below the estimates, and nobody has confirmed it. */
  isWaiting: boolean;
  entries: readonly FeedEntry[];
}

export type FeedStatus = 'pending' | 'approved' | 'rejected';
export interface Standing extends FeedEntry {
  status: FeedStatus;
  asOf: number;
}
/** How the provider means its estimates. */
export type Estimates = 'pending' | 'approved';

const nameOf = ({ key, eventTypeId }: Pick<FeedEntry, 'key' | 'eventTypeId'>): string =>
  `${eventTypeId}|${key}`;

/** Of a key that a set names twice, the later row counts. */
export const distinctEntries = (entries: readonly FeedEntry[]): FeedEntry[] => [
  ...new Map(entries.map((e) => [nameOf(e), e])).values(),
];

const byTime = (a: FeedSet, b: FeedSet): number =>
  a.asOf - b.asOf || (a.id < b.id ? -1 : a.id > b.id ? 1 : 0);

/** In no order. Keys that never had an amount are left out. */
export function standingOf(sets: readonly FeedSet[], estimates: Estimates): Standing[] {
  const inOrder = sets.filter((s) => !s.isWaiting && (!s.isFinal || s.isComplete)).sort(byTime);
  const hasAmount = new Set(inOrder.flatMap((s) => s.entries.filter((e) => e.amount !== 0n).map(nameOf)));
  const stands = new Map<string, Standing>();
  for (const set of inOrder.filter((s) => !s.isFinal))
    for (const e of distinctEntries(set.entries))
      stands.set(nameOf(e), { ...e, status: estimates, asOf: set.asOf });
  const finals = inOrder.filter((s) => s.isFinal);
  const last = finals.at(-1);
  if (last) {
    const named = new Map(distinctEntries(last.entries).map((e) => [nameOf(e), e]));
    const others = finals.slice(0, -1).flatMap((s) => distinctEntries(s.entries));
    for (const e of [...others, ...stands.values()].filter((one) => !named.has(nameOf(one))))
      stands.set(nameOf(e), { ...plain(e), status: 'rejected', asOf: last.asOf });
    for (const [name, e] of named)
      stands.set(name, { ...e, status: e.amount === 0n ? 'rejected' : 'approved', asOf: last.asOf });
  }
  return [...stands.values()].filter((s) => hasAmount.has(nameOf(s)));
}
const plain = ({ key, eventTypeId, amount, currency }: FeedEntry): FeedEntry => ({
  key,
  eventTypeId,
  amount,
  currency,
});

/** What was told last of a key. */
export interface Told extends FeedEntry {
  status: FeedStatus;
  /** The time of change that was told, in ms since 1970. */
  changedAt: number;
}

/**
 * What has to be told, so that what was told last is what stands. Each is told as later than what was told before it: the
 * order of times decides in the books.
 */
export function dueOf(standing: readonly Standing[], told: readonly Told[]): Told[] {
  const before = new Map(told.map((t) => [nameOf(t), t]));
  return standing.flatMap(({ asOf, ...s }) => {
    const last = before.get(nameOf(s));
    if (last && last.status === s.status && last.currency === s.currency && isSameAmount(last, s)) return [];
    return [{ ...s, changedAt: Math.max(asOf, last ? last.changedAt + 1 : 0) }];
  });
}
/** What is rejected has no amount. */
const isSameAmount = (a: Told, b: Omit<Standing, 'asOf'>): boolean =>
  b.status === 'rejected' || a.amount === b.amount;

/** A final that is empty, or below half of what estimates said in its currencies, waits for somebody to confirm it. */
export function needsConfirmation(entries: readonly FeedEntry[], estimated: readonly FeedEntry[]): boolean {
  if (entries.length === 0) return true;
  const sums = (of: readonly FeedEntry[]): Map<string, Micros> => {
    const all = new Map<string, Micros>();
    for (const e of distinctEntries(of)) all.set(e.currency, (all.get(e.currency) ?? 0n) + e.amount);
    return all;
  };
  const told = sums(entries);
  return [...sums(estimated)].some(([currency, sum]) => 2n * (told.get(currency) ?? 0n) < sum);
}
