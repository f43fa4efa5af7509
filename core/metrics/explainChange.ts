/** Which value of a breakdown explains a change of profit between two periods, and which does not: large ones change much anyway. */
import type { NumbersAnswer } from '../contract/index.ts';

type Row = Pick<NumbersAnswer['rows'][number], 'values' | 'names' | 'figures' | 'before'>;
export interface Explanation {
  by: string;
  value: string;
  name: string;
  /** Change of its profit, in micros. */
  change: bigint;
  /** Part of the whole change, from 0 to 1 and above where others went the other way. */
  share: number;
}

const profitOf = (figures: Row['figures'] | null): bigint => BigInt(figures?.profitMicros ?? '0');
export const changeOf = ({ figures, before }: Pick<Row, 'figures' | 'before'>): bigint =>
  profitOf(figures) - profitOf(before);

/** Its part of what was spent in both periods: the part of a change that it would have anyway. */
function weightOf(row: Row, spent: number): number {
  const own = Number(row.figures.spentMicros) + Number(row.before?.spentMicros ?? '0');
  return spent === 0 ? 0 : own / spent;
}

/** Below this, a value changed about as much as its size lets one expect. */
const MIN_SURPRISE = 0.25;

/**
 * The value whose part of the change is furthest above its part of the cost; null where no value stands out. Breakdowns are
 * of the same visits, so that each sums up to the same change.
 */
export function explainChange(
  breakdowns: readonly { by: string; rows: readonly Row[] }[],
): Explanation | null {
  let best: Explanation | null = null;
  let most = MIN_SURPRISE;
  for (const { by, rows } of breakdowns) {
    // With one value, there is nothing to choose from.
    if (rows.length < 2) continue;
    const whole = rows.reduce((sum, r) => sum + changeOf(r), 0n);
    const spent = rows.reduce(
      (sum, r) => sum + Number(r.figures.spentMicros) + Number(r.before?.spentMicros ?? '0'),
      0,
    );
    if (whole === 0n) continue;
    for (const row of rows) {
      const change = changeOf(row);
      const share = Number(change) / Number(whole);
      const surprise = Math.min(1, share) - weightOf(row, spent);
      if (surprise <= most) continue;
      most = surprise;
      best = { by, value: row.values[0]!, name: row.names[0]!, change, share };
    }
  }
  return best;
}
