/** Sums of visits by their flags: gathered once for each of the few combinations that occur, and sorted apart afterwards. */
import { visitCosts, visitCounts } from '@tracheon/core/metrics';
import { FLAGS } from './flags.ts';

const { bot, repeat, test, unique, clicked, page, offer, link, feed, file } = FLAGS;
const NOT_COUNTED = bot + repeat + test;

/** Of the gathered visits: how many, how many without a known cost, and that cost. */
type Amount = 'visits' | 'withoutCost' | 'cost';
/** Visits with all flags of the first, and none of the second. */
type Condition = readonly [these: number, not: number];
interface FlagSum {
  of: Amount;
  /** One of them holds. */
  when: readonly Condition[];
}
export type VisitCount = (typeof visitCounts)[number];
export type VisitCost = (typeof visitCosts)[number];
export type RawVisits = Record<VisitCount, number> & Record<VisitCost, bigint>;

export const flagSums: Record<VisitCount | VisitCost, FlagSum> = {
  visits: { of: 'visits', when: [[0, NOT_COUNTED]] },
  unique: { of: 'visits', when: [[unique, NOT_COUNTED]] },
  bots: { of: 'visits', when: [[bot, test]] },
  repeats: { of: 'visits', when: [[repeat, bot + test]] },
  tests: { of: 'visits', when: [[test, 0]] },
  sentToPage: { of: 'visits', when: [[page, NOT_COUNTED]] },
  buttonClicks: { of: 'visits', when: [[page + clicked, NOT_COUNTED]] },
  sentToOffer: {
    of: 'visits',
    when: [
      [offer, NOT_COUNTED + page],
      [offer + clicked, NOT_COUNTED],
    ],
  },
  withoutCost: { of: 'withoutCost', when: [[0, NOT_COUNTED]] },
  spent: { of: 'cost', when: [[0, test]] },
  botCost: { of: 'cost', when: [[bot, test]] },
  linkCost: { of: 'cost', when: [[link, test + feed + file]] },
  feedCost: { of: 'cost', when: [[feed, test]] },
  fileCost: { of: 'cost', when: [[file, test]] },
};

/** Adds gathered visits of one combination of flags, as the statements below sum them. */
export function addByFlags(
  to: RawVisits,
  flags: number,
  given: { n: number; priced: number; cost: bigint },
): void {
  for (const name of visitCounts)
    if (isMet(flags, flagSums[name]))
      to[name] += flagSums[name].of === 'withoutCost' ? given.n - given.priced : given.n;
  for (const name of visitCosts) if (isMet(flags, flagSums[name])) to[name] += given.cost;
}
const isMet = (flags: number, { when }: FlagSum): boolean =>
  when.some(([these, not]) => (flags & (these + not)) === these);

const amountSql: Record<Amount, string> = { visits: 'n', withoutCost: 'n - priced', cost: 'cost' };

const sumOf = (amount: string, when: FlagSum['when']): string =>
  `coalesce(sum(${amount}) FILTER (WHERE ${when.map(([these, not]) => `f & ${these + not} = ${these}`).join(' OR ')}), 0)`;

/** The exact sum over gathered visits; costs in the currency of their segment. */
export const exactSumSql = (name: VisitCount | VisitCost): string =>
  sumOf(amountSql[flagSums[name].of], flagSums[name].when);

/** The sum over gathered visits, for sorting; costs at the `rate` of their segment. */
export const flagSumSql = (name: VisitCount | VisitCost): string => {
  const { of, when } = flagSums[name];
  return sumOf(of === 'cost' ? 'cost * rate' : amountSql[of], when);
};
