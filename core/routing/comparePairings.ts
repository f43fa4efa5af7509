/**
 * The pairings of a split beside each other: how likely each is the best, what it costs to stop now, and how many visits a
 * clear answer takes. The same model as the automatic split: what is shown is what it would go by.
 */
import { drawGamma, seededRandom } from '../chance/index.ts';
import { posteriors, type Arm, type Posterior } from './automatic.ts';

export interface ComparedPairing extends Arm {
  /** Expected revenue per visit, and the interval that holds it with 95 %, in micros. */
  perVisit: number | null;
  low: number | null;
  high: number | null;
  /** How likely it earns most per visit, from 0 to 1. */
  chanceOfBest: number | null;
  /** Revenue per 1 000 visits that is lost on average if all visits go to this one from now on, in micros. */
  lossPerThousand: number | null;
}
export interface PairingComparison {
  pairings: ComparedPairing[];
  /** `none`: nothing has converted. `early`: no pairing is clearly the best. */
  state: 'none' | 'early' | 'clear';
  /** The one that is most likely the best; empty while nothing has converted. */
  bestId: string;
  /** Visits that each of the two best still needs for a clear answer, about; null when it is clear or they convert alike. */
  moreVisits: number | null;
  /** Of the two best: how likely so large a difference of their conversion rates is by chance alone (two-proportion z-test). */
  pValue: number | null;
}

const DRAWS = 4000;
/** From this chance on, the best one is clear. */
export const CLEAR = 0.95;

export function comparePairings(arms: readonly Arm[], seed: number, draws = DRAWS): PairingComparison {
  const known = posteriors(arms);
  if (!known || arms.length < 2)
    return {
      pairings: arms.map((a) => ({
        ...a,
        perVisit: a.visits > 0 ? a.expectedMicros / a.visits : null,
        low: null,
        high: null,
        chanceOfBest: null,
        lossPerThousand: null,
      })),
      state: 'none',
      bestId: '',
      moreVisits: null,
      pValue: null,
    };
  const drawn = drawAll(known, seed, draws);
  const pairings = arms.map((arm, i): ComparedPairing => {
    const own = drawn.map((d) => d[i]!).sort((a, b) => a - b);
    return {
      ...arm,
      perVisit: arm.visits > 0 ? arm.expectedMicros / arm.visits : null,
      low: own[Math.floor(draws * 0.025)]!,
      high: own[Math.ceil(draws * 0.975) - 1]!,
      chanceOfBest: drawn.filter((d) => d[i] === Math.max(...d)).length / draws,
      lossPerThousand: (drawn.reduce((sum, d) => sum + Math.max(...d) - d[i]!, 0) / draws) * 1000,
    };
  });
  const [best, second] = [...pairings].sort((a, b) => b.chanceOfBest! - a.chanceOfBest!);
  const isClear = best!.chanceOfBest! >= CLEAR;
  return {
    pairings,
    state: isClear ? 'clear' : 'early',
    bestId: best!.pairingId,
    moreVisits: isClear ? null : visitsNeeded(best!, second!),
    pValue: twoProportions(best!, second!),
  };
}

/** Revenue per visit of every pairing, draw by draw. */
function drawAll(known: readonly Posterior[], seed: number, draws: number): number[][] {
  const random = seededRandom(seed);
  return Array.from({ length: draws }, () =>
    known.map(({ shape, rate, payout }) => (drawGamma(shape, random) / rate) * payout),
  );
}

/** Of a standard normal distribution: 95 % between, and 80 % below. */
const [Z_95, Z_80] = [1.959964, 0.841621];
/** Visits of each with which so large a difference is found four times in five (Fleiss, without correction), less those it has. */
function visitsNeeded(a: Arm, b: Arm): number | null {
  // Where one pays more, its revenue per visit is what differs: rates are weighed with the payouts.
  const rates = [a, b].map((x) => Math.min(1, (x.conversions + 0.5) / (x.visits + 1)));
  const pays = [a, b].map((x) => (x.conversions > 0 ? x.expectedMicros / x.conversions : null));
  const [pa, pb] = [pays[0] ?? pays[1] ?? 1, pays[1] ?? pays[0] ?? 1];
  const difference = Math.abs(rates[0]! * pa - rates[1]! * pb);
  const variance = rates[0]! * (1 - rates[0]!) * pa ** 2 + rates[1]! * (1 - rates[1]!) * pb ** 2;
  if (difference === 0) return null;
  const each = ((Z_95 + Z_80) ** 2 * variance) / difference ** 2;
  return Math.max(1, Math.ceil(each - Math.min(a.visits, b.visits)));
}

/** Two-sided; null where nothing differs or too little is there. */
export function twoProportions(a: Arm, b: Arm): number | null {
  if (a.visits <= 0 || b.visits <= 0) return null;
  const pooled = (a.conversions + b.conversions) / (a.visits + b.visits);
  if (pooled <= 0 || pooled >= 1) return null;
  const error = Math.sqrt(pooled * (1 - pooled) * (1 / a.visits + 1 / b.visits));
  const z = Math.abs(a.conversions / a.visits - b.conversions / b.visits) / error;
  return 2 * normalTail(z);
}

/** Share of a standard normal distribution above z ≥ 0; Abramowitz and Stegun 26.2.17, right to 7.5 × 10⁻⁸. */
function normalTail(z: number): number {
  const t = 1 / (1 + 0.2316419 * z);
  const sum =
    t * (0.31938153 + t * (-0.356563782 + t * (1.781477937 + t * (-1.821255978 + t * 1.330274429))));
  return (Math.exp((-z * z) / 2) / Math.sqrt(2 * Math.PI)) * sum;
}
