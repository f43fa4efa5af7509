/** Every figure of the registry, made of the sums that it names. */
import type { Figures } from '../contract/index.ts';
import { divideRounded, type Micros } from '../money/index.ts';
import type { Approval, visitCosts, visitCounts, VisitSums } from './figures.ts';
import {
  figureDefinitions,
  figureNames,
  type AmountSum,
  type CountSum,
  type FigureDefinition,
  type FigureName,
} from './registry.ts';

const ratio = (a: number, b: number): number | null => (b === 0 ? null : a / b);
const share = (a: Micros, b: Micros): number | null => (b === 0n ? null : Number(a) / Number(b));
const each = (a: Micros, n: number, per = 1): string | null =>
  n === 0 ? null : divideRounded(a * BigInt(per), BigInt(n)).toString();
/** What all figures are made of; each adds up over campaigns and days. */
export interface Parts {
  counts: Record<CountSum, number>;
  amounts: Record<AmountSum, Micros>;
  /** No visit has a known cost, so there is no profit to speak of. */
  isCostUnknown: boolean;
  holdRates: Approval[];
  unconverted: Figures['unconverted'];
}

/** Named one by one, here as below: to copy an object with a spread takes a hundred times as long, for each row of a report. */
export const countsOf = (
  v: Pick<VisitSums, (typeof visitCounts)[number]>,
  conversions: number,
  approved: number,
  decided: number,
): Record<CountSum, number> => ({
  visits: v.visits,
  unique: v.unique,
  bots: v.bots,
  repeats: v.repeats,
  tests: v.tests,
  sentToPage: v.sentToPage,
  buttonClicks: v.buttonClicks,
  sentToOffer: v.sentToOffer,
  withoutCost: v.withoutCost,
  withCost: v.visits - v.withoutCost,
  conversions,
  approved,
  decided,
});
type OtherAmount = Exclude<AmountSum, (typeof visitCosts)[number] | 'modelCost'>;
/** `spent`: of visits and partners together. */
export const amountsOf = (
  v: Pick<VisitSums, (typeof visitCosts)[number]>,
  of: Record<OtherAmount | 'spent', Micros>,
): Record<AmountSum, Micros> => ({
  botCost: v.botCost,
  linkCost: v.linkCost,
  feedCost: v.feedCost,
  fileCost: v.fileCost,
  modelCost: v.spent - v.linkCost - v.feedCost - v.fileCost,
  spent: of.spent,
  partner: of.partner,
  margin: of.margin,
  expected: of.expected,
  estimated: of.estimated,
  earned: of.earned,
  onHold: of.onHold,
  revenue: of.revenue,
  profit: of.profit,
  knownRevenue: of.knownRevenue,
  knownSpent: of.knownSpent,
});

const definitions: readonly (readonly [FigureName, FigureDefinition])[] = figureNames.map((name) => [
  name,
  figureDefinitions[name],
]);

/** Every figure of the registry, from the sums that it names. */
export function fromParts(
  { counts, amounts, isCostUnknown, holdRates, unconverted }: Parts,
  only?: ReadonlySet<FigureName>,
): Figures {
  const valueOf = (figure: FigureDefinition): number | string | null => {
    if (isCostUnknown && figure.of === 'profit') return null;
    switch (figure.unit) {
      case 'count':
        return counts[figure.of];
      case 'money':
        return amounts[figure.of].toString();
      case 'share':
        return ratio(counts[figure.of], counts[figure.by]);
      case 'return':
        return share(amounts[figure.of], amounts[figure.by]);
      case 'each':
        return each(amounts[figure.of], counts[figure.by], figure.per);
    }
  };
  const values = { holdRates, unconverted } as Figures;
  const into = values as Record<FigureName, number | string | null>;
  for (const [name, figure] of definitions) if (!only || only.has(name)) into[name] = valueOf(figure);
  return values;
}
