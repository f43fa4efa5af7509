/** One line of a network's statement beside the conversion that it is about. */
import { isTakenBack, type ConversionStatus, type LineKind } from '../contract/index.ts';
import type { Micros } from '../money/index.ts';

export interface StatementSide {
  status: ConversionStatus;
  /** null: the statement says no amount. */
  micros: Micros | null;
  /** Empty: the statement says none; ours is meant. */
  currency: string;
}

/** What is not paid is not paid, however each side calls it; amounts then say nothing. */
export function compareLine(theirs: StatementSide, ours: StatementSide | null): LineKind {
  const isPaid = !isTakenBack(theirs.status);
  // A conversion that they don't pay, and that we never booked, is missing to nobody.
  if (ours === null) return isPaid ? 'missing_here' : 'matched';
  if (isPaid !== !isTakenBack(ours.status)) return 'status_differs';
  if (!isPaid) return 'matched';
  if (theirs.status !== ours.status) return 'status_differs';
  if (theirs.currency !== '' && theirs.currency !== ours.currency) return 'currency_differs';
  return theirs.micros === null || theirs.micros === ours.micros ? 'matched' : 'amount_differs';
}
