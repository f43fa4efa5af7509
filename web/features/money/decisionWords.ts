/** What a table of decisions says, from its counts. */
import type { DecisionRow } from '@tracheon/core/contract';

type Sums = Omit<DecisionRow, 'id' | 'name' | 'weeks'>;

export const decidedOf = ({ approved, rejected, reversed }: Sums): number => approved + rejected + reversed;
/** Approved ÷ decided; null while nothing is decided. */
export const approvalOf = (s: Sums): number | null => (decidedOf(s) === 0 ? null : s.approved / decidedOf(s));
/** Rejected or reversed ÷ decided; null while nothing is decided. */
export const scrubOf = (s: Sums): number | null =>
  decidedOf(s) === 0 ? null : (s.rejected + s.reversed) / decidedOf(s);

/** Hours as one reads them: minutes under two hours, days from two days on. */
export function duration(hours: number | null): string {
  if (hours === null) return '–';
  if (hours < 2) return `${Math.round(hours * 60)} min`;
  return hours < 48 ? `${Math.round(hours)} h` : `${(hours / 24).toFixed(1)} days`;
}
