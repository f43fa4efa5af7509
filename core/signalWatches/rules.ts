/** When a signal is worth a notice: pure rules over counts. Each returns how sure it is, from 0 to 1; null: nothing is found. */

/** Chance of none where so many were to be expected (Poisson). */
export const chanceOfNone = (expected: number): number => Math.exp(-expected);

/** Visits to be expected before their absence says something. */
export const FEWEST_VISITS = 10;
export function visitsAreMissing({ visits, usual }: { visits: number; usual: number }): number | null {
  return visits === 0 && usual >= FEWEST_VISITS ? 1 - chanceOfNone(usual) : null;
}

/** Spend of as many times the usual one is a run-away; and so many days must tell what is usual. */
const RUN_AWAY = 2.5;
const USUAL_DAYS_NEEDED = 3;
/** In standard deviations of those days. */
const RUN_AWAY_DEVIATIONS = 4;
export interface SpendNow {
  spent: number;
  /** Of the same hours of each day before; days without a visit are 0. */
  before: readonly number[];
  /** What one conversion pays; null: not known. */
  payout: number | null;
}
/** Returns the usual spend; null: nothing is found. */
export function spendRunsAway({ spent, before, payout }: SpendNow): number | null {
  const days = before.filter((b) => b > 0);
  if (days.length < USUAL_DAYS_NEEDED) return null;
  const mean = days.reduce((sum, b) => sum + b, 0) / days.length;
  const deviation = Math.sqrt(days.reduce((sum, b) => sum + (b - mean) ** 2, 0) / days.length);
  const isFar = spent > RUN_AWAY * mean && spent > mean + RUN_AWAY_DEVIATIONS * deviation;
  // Less than two payouts above the usual is noise, however small the usual is.
  return isFar && spent - mean >= 2 * (payout ?? 0) ? mean : null;
}

export interface Share {
  of: number;
  all: number;
}
/**
 * How sure it is that a share has fallen by more than `least`, by the normal approximation of two proportions; null: it has
 * not, or too little is known of now.
 */
export function shareFell(
  now: Share,
  before: Share,
  { least, fewest }: { least: number; fewest: number },
): number | null {
  if (now.all < fewest || before.all < fewest) return null;
  const [a, b] = [now.of / now.all, before.of / before.all];
  if (b - a < least) return null;
  const pooled = (now.of + before.of) / (now.all + before.all);
  const error = Math.sqrt(pooled * (1 - pooled) * (1 / now.all + 1 / before.all));
  if (error === 0) return null;
  const sure = normalBelow((b - a) / error);
  return sure >= SURE ? sure : null;
}
/** As many as two in a thousand false alarms a look at each share. */
const SURE = 0.998;

/** Standard normal distribution function (Abramowitz and Stegun 26.2.17; error under 10⁻⁷). */
function normalBelow(z: number): number {
  const t = 1 / (1 + 0.2316419 * z);
  const poly =
    t * (0.31938153 + t * (-0.356563782 + t * (1.781477937 + t * (-1.821255978 + t * 1.330274429))));
  return 1 - (Math.exp((-z * z) / 2) / Math.sqrt(2 * Math.PI)) * poly;
}

/** In words: never “100 %”. */
export function sureWords(sure: number): string {
  const percent = Math.floor(sure * 1000) / 10;
  return percent >= 99.9 ? 'more than 99.9 % sure' : `${percent} % sure`;
}
