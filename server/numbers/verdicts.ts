/** The verdict on a row of an answer: what it is judged by, and suggested bids in the unit in which the source bills. */
import { isCounted, type Figures, type NumbersAsked, type VerdictAnswer } from '@tracheon/core/contract';
import { figures, type ApprovalRate, type Sums } from '@tracheon/core/metrics';
import { convert, rateOn } from '@tracheon/core/money';
import { localDay } from '@tracheon/core/time';
import { verdictOn, type VerdictGround } from '@tracheon/core/verdicts';
import type { NumbersGround, SourceGround } from './ground.ts';
import type { RowSums } from './sums.ts';

type Judged = Omit<RowSums, 'values'>;
export interface JudgedBy extends VerdictGround {
  ground: NumbersGround;
  approval: ApprovalRate;
  today: string;
}

const ONE = 1_000_000;

/** Cost of a visit day beside revenue of another is nothing to judge by. */
export const givesVerdicts = ({ verdicts, dayOf }: NumbersAsked): boolean => verdicts && dayOf === 'visit';

/** What all rows of an answer are judged by: its own total, of visits that are old enough. */
export function verdictGround(ground: NumbersGround, approval: ApprovalRate, total: Judged): JudgedBy {
  const { spentMicros, expectedMicros } = figures(total.mature, approval);
  const [spent, expected] = [Number(spentMicros), Number(expectedMicros)];
  const today = localDay(Date.now(), ground.zone);
  return {
    ground,
    approval,
    today,
    payout: meanPayout(total.sums) ?? statedPayout(ground, today),
    usualReturn: spent > 0 && expected > 0 ? expected / spent : null,
    rules: ground.rules,
  };
}

/** Of all conversions that count as revenue, pending and approved; null for none. */
function meanPayout({ conversions }: Sums): number | null {
  const counted = conversions.filter((c) => c.countsAsRevenue && isCounted(c.status));
  const count = counted.reduce((sum, c) => sum + c.count, 0);
  const amount = counted.reduce((sum, c) => sum + c.amount, 0n);
  return count === 0 || amount <= 0n ? null : Number(amount) / count / ONE;
}

/** What the desk's offers are said to pay, on average, before anything has converted. */
function statedPayout({ offers, rates, currency }: NumbersGround, today: string): number | null {
  const stated = offers.flatMap(({ payout }) => {
    if (!payout || payout.micros <= 0n) return [];
    const rate = rateOn(rates, payout.currency, currency, today);
    return rate === null ? [] : [Number(convert(payout.micros, rate)) / ONE];
  });
  return stated.length === 0 ? null : stated.reduce((a, b) => a + b, 0) / stated.length;
}

/** What a verdict is made of. */
export const VERDICT_FIGURES = [
  'visits',
  'withoutCost',
  'spentMicros',
  'expectedMicros',
  'conversions',
] as const;

/**
 * `f`: the row's figures of visits that are old enough. `sourceId`: of all its visits, for the unit of bids; empty where there are
 * several.
 */
export function verdictOf(
  f: Pick<Figures, (typeof VERDICT_FIGURES)[number]>,
  by: JudgedBy,
  sourceId: string,
): VerdictAnswer {
  // Payouts to partners are no cost of visits: nobody bids for those.
  const isCostKnown = f.visits > f.withoutCost;
  const verdict = verdictOn(
    {
      visits: f.visits,
      spent: isCostKnown ? Number(f.spentMicros) / ONE : null,
      expected: Number(f.expectedMicros) / ONE,
      conversions: f.conversions,
    },
    by,
  );
  const unit = bidUnit(by, by.ground.sources.get(sourceId));
  return {
    kind: verdict.kind,
    visits: f.visits,
    spentMicros: f.spentMicros,
    expectedMicros: f.expectedMicros,
    conversions: f.conversions,
    payoutMicros: by.payout === null ? null : microsOf(by.payout),
    spentPayouts: verdict.spentPayouts,
    usualConversions: verdict.usualConversions,
    chance: verdict.chance,
    moreVisits: verdict.moreVisits,
    breakEvenMicros: verdict.breakEven === null ? null : microsOf(verdict.breakEven * unit.factor),
    bidMicros: verdict.bid === null ? null : microsOf(verdict.bid * unit.factor),
    bidUnit: { currency: unit.currency, visits: unit.visits },
  };
}
const microsOf = (units: number): string => String(Math.round(units * ONE));

/** What an amount for one visit, all costs in it, is multiplied by to be a bid at the source. */
function bidUnit(
  { ground, today }: JudgedBy,
  source: SourceGround | undefined,
): { factor: number; currency: string; visits: number } {
  const own = { factor: 1, currency: ground.currency, visits: 1 };
  if (!source) return own;
  const visits = source.costUnit === 'thousand' ? 1000 : 1;
  // From the source's currency into the desk's.
  const nanos = rateOn(ground.rates, source.currency, ground.currency, today);
  if (nanos === null) return { ...own, factor: 1 / source.costFactor };
  return { factor: visits / (Number(nanos) / 1e9) / source.costFactor, currency: source.currency, visits };
}
