/** The chance that something earns more than it costs. */
import jstat from 'jstat';

/**
 * Chance that what comes back for each unit of cost is more than that unit. Cost and revenue are in payouts: conversions
 * come like a Poisson process over the cost, and before anything is known the return is that of everything around, with the
 * weight of one payout: Gamma(usualReturn, 1). From 0 to 1.
 */
export function chanceOfProfit(of: { spent: number; earned: number; usualReturn: number }): number {
  const shape = of.usualReturn + of.earned;
  if (!(shape > 0)) return 0;
  return Math.min(1, Math.max(0, 1 - jstat.lowRegGamma(shape, 1 + of.spent)));
}
