/**
 * The same as `standingOf`, remembered by key instead of by set: of each key what the latest estimate and the latest final
 * said, and of the day which final is the latest. Taking a set in twice, or late, changes nothing.
 */
import type { Micros } from '../money/index.ts';
import type { Estimates, FeedEntry, FeedSet, FeedStatus } from './sets.ts';

/** When something was said, and by which set. */
export interface Said {
  asOf: number;
  setId: string;
}
export interface SaidAmount extends Said {
  amount: Micros;
  currency: string;
}
export interface KeyRegister {
  key: string;
  eventTypeId: string;
  estimate: SaidAmount | null;
  final: SaidAmount | null;
  /** Some set had an amount for it. */
  hadAmount: boolean;
}

export const isLater = (a: Said, b: Said | null): boolean =>
  b === null || a.asOf > b.asOf || (a.asOf === b.asOf && a.setId > b.setId);
export const latest = (a: Said | null, b: Said): Said => (isLater(b, a) ? b : a!);

export const emptyRegister = ({ key, eventTypeId }: Pick<FeedEntry, 'key' | 'eventTypeId'>): KeyRegister => ({
  key,
  eventTypeId,
  estimate: null,
  final: null,
  hadAmount: false,
});

/** `set` is an estimate, or a complete final that waits for nobody. */
export function takeIn(
  register: KeyRegister,
  set: Pick<FeedSet, 'id' | 'asOf' | 'isFinal'>,
  { amount, currency }: FeedEntry,
): KeyRegister {
  const said: SaidAmount = { asOf: set.asOf, setId: set.id, amount, currency };
  const which = set.isFinal ? 'final' : 'estimate';
  return {
    ...register,
    hadAmount: register.hadAmount || amount !== 0n,
    // Of a row that comes twice in a set, the later one counts.
    ...(isLater(said, register[which]) || register[which]?.setId === set.id ? { [which]: said } : {}),
  };
}

/** null: nothing is to be told of it. */
export function standingOfKey(
  { key, eventTypeId, estimate, final, hadAmount }: KeyRegister,
  dayFinal: Said | null,
  estimates: Estimates,
): (FeedEntry & { status: FeedStatus; asOf: number }) | null {
  if (!hadAmount) return null;
  const as = (status: FeedStatus, { amount, currency }: SaidAmount, asOf: number) => ({
    key,
    eventTypeId,
    amount,
    currency,
    status,
    asOf,
  });
  if (dayFinal && final?.setId === dayFinal.setId)
    return as(final.amount === 0n ? 'rejected' : 'approved', final, dayFinal.asOf);
  const last = estimate ?? final;
  if (dayFinal && last) return as('rejected', last, dayFinal.asOf);
  return estimate && as(estimates, estimate, estimate.asOf);
}
