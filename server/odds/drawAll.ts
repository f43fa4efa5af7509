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
  // A split that is still warming up draws nothing, and so says nothing of what draws take.
  const drawn = splits.filter((s) => automaticOdds(s.arms, s.seed, 1).state === 'learned');
  const [first] = drawn;
  const size = drawn.reduce((sum, s) => sum + s.arms.length, 0);
  const began = spentMs();
  if (first) automaticOdds(first.arms, first.seed, TRIAL_DRAWS);
  const msPerDraw = first ? ((spentMs() - began) / (TRIAL_DRAWS * first.arms.length)) * size : 0;
  const affordable = msPerDraw > 0 ? Math.floor(budgetMs / msPerDraw) : DRAWS;
  const draws = Math.min(DRAWS, Math.max(LEAST_DRAWS, affordable));
  return splits.map(({ arms, seed }) => automaticOdds(arms, seed, draws));
}
