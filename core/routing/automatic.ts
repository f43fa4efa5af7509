/**
 * The automatic split: how often each pairing should be drawn, so that the one that earns most gets most visitors while the
 * others stay measured. Conversions per visit are Gamma–Poisson; each draw takes a rate for every pairing from what is known of
 * it, times what a conversion is expected to pay. A pairing's odds are the share of draws in which it is the best.
 */
import { drawGamma, seededRandom } from '../chance/index.ts';

export const DRAWS = 10_000;
/** No pairing is drawn less often than this, so that a loser that gets better is seen; less where there are many. */
export const FLOOR = 0.02;
/** Until each pairing has so many visits, and all of them so many conversions, the split is even. */
export const WARM_UP_VISITS = 100;
export const WARM_UP_CONVERSIONS = 10;

export interface Arm {
  pairingId: string;
  /** Visits, each counted by the share of its conversions that has come by its age. */
  visits: number;
  conversions: number;
  /** What they are expected to pay in all: approved, and pending by the approval rate; in micros of the desk's currency. */
  expectedMicros: number;
}
export interface ArmOdds extends Arm {
  /** How often it is drawn, from 0 to 1; all of a split are 1 together. */
  odds: number;
  /** How likely it earns most per visit, from 0 to 1; null during warm-up. */
  chanceOfBest: number | null;
}
export interface SplitOdds {
  state: 'warm_up' | 'learned';
  draws: number;
  arms: ArmOdds[];
}

/** The same arms, seed and draws give the same odds. */
export function automaticOdds(arms: readonly Arm[], seed: number, draws = DRAWS): SplitOdds {
  const conversions = arms.reduce((sum, a) => sum + a.conversions, 0);
  const visits = arms.reduce((sum, a) => sum + a.visits, 0);
  if (
    arms.length < 2 ||
    conversions < WARM_UP_CONVERSIONS ||
    arms.some((a) => a.visits < WARM_UP_VISITS) ||
    visits <= 0
  )
    return {
      state: 'warm_up',
      draws: 0,
      arms: arms.map((a) => ({ ...a, odds: 1 / arms.length, chanceOfBest: null })),
    };
  const best = timesBest(arms, seed, draws);
  const floor = Math.min(FLOOR, 1 / (2 * arms.length));
  return {
    state: 'learned',
    draws,
    arms: arms.map((a, i) => ({
      ...a,
      odds: floor + (1 - floor * arms.length) * (best[i]! / draws),
      chanceOfBest: best[i]! / draws,
    })),
  };
}

/** What is known of an arm: conversions per visit are Gamma(shape, rate), and each pays `payout` micros. */
export interface Posterior {
  shape: number;
  rate: number;
  payout: number;
}
/** Null while no conversion tells what one pays. */
export function posteriors(arms: readonly Arm[]): Posterior[] | null {
  const conversions = arms.reduce((sum, a) => sum + a.conversions, 0);
  const visits = arms.reduce((sum, a) => sum + a.visits, 0);
  if (conversions <= 0 || visits <= 0) return null;
  const meanRate = conversions / visits;
  const meanPayout = arms.reduce((sum, a) => sum + a.expectedMicros, 0) / conversions;
  // What all have in common weighs as much as one conversion: of the rate, and of what a conversion pays.
  return arms.map((a) => ({
    shape: 1 + a.conversions,
    rate: 1 / meanRate + a.visits,
    payout: (meanPayout + a.expectedMicros) / (1 + a.conversions),
  }));
}

/** In how many draws each arm has the highest revenue per visit. */
function timesBest(arms: readonly Arm[], seed: number, draws: number): number[] {
  const known = posteriors(arms)!;
  const random = seededRandom(seed);
  const best = arms.map(() => 0);
  for (let n = 0; n < draws; n++) {
    let [at, most] = [0, -Infinity];
    known.forEach(({ shape, rate, payout }, i) => {
      const revenue = (drawGamma(shape, random) / rate) * payout;
      if (revenue > most) [at, most] = [i, revenue];
    });
    best[at]!++;
  }
  return best;
}
