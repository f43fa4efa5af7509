/** The draws of all automatic splits within a bound of processor time. */
import { automaticOdds, DRAWS, type Arm, type SplitOdds } from '@tracheon/core/routing';

export interface SplitToDraw {
  arms: Arm[];
  seed: number;
}

/** Processor time that all draws of one minute may take. */
export const BUDGET_MS = 5000;
const LEAST_DRAWS = 500;
/** Enough to tell how long a draw takes here. */
const TRIAL_DRAWS = 200;

/** In the order of the splits; with so many of them that 10 000 draws would take too long, each gets fewer. */
export function drawAll(
  splits: readonly SplitToDraw[],
  spentMs: () => number,
  budgetMs = BUDGET_MS,
): SplitOdds[] {
  const size = splits.reduce((sum, s) => sum + s.arms.length, 0);
  const [first] = splits;
  if (!first) return [];
  const began = spentMs();
  automaticOdds(first.arms, first.seed, TRIAL_DRAWS);
  const perDrawOfAll = ((spentMs() - began) / (TRIAL_DRAWS * Math.max(1, first.arms.length))) * size;
  const draws = Math.floor(Math.min(DRAWS, Math.max(LEAST_DRAWS, budgetMs / Math.max(perDrawOfAll, 1e-9))));
  return splits.map(({ arms, seed }) => automaticOdds(arms, seed, draws));
}
