/** Where the cost of a period comes from, in shares of all that was spent. */
import type { FigureName, FigureValues } from '@tracheon/core/metrics';
import { percent } from '../../ui/format.ts';

const origins = [
  ['fileCostMicros', 'from files and by hand'],
  ['feedCostMicros', 'from feeds'],
  ['linkCostMicros', 'from links'],
  ['estimatedCostMicros', 'estimated'],
  ['partnerMicros', 'partner payouts'],
] as const satisfies [FigureName, string][];

/** Empty where nothing was spent; an origin without cost is left out. */
export function costShares(total: Pick<FigureValues, 'spentMicros' | (typeof origins)[number][0]>): string {
  const spent = Number(total.spentMicros);
  if (spent <= 0) return '';
  return origins
    .map(([name, words]) => [words, Number(total[name]) / spent] as const)
    .filter(([, share]) => share > 0)
    .map(([words, share]) => `${percent(share, 0)} ${words}`)
    .join(' · ');
}
