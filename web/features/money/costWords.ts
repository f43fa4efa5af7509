/** Costs in words: what a load sums up to, what an entry covers, what is wrong with the cost of visits. */
import type { CostChecks, CostEntryRow, CostLoad } from '@tracheon/core/contract';
import { dayRange, money } from '../../ui/format.ts';

export const kindWords: Record<CostLoad['kind'], string> = { hand: 'by hand', file: 'file', feed: 'feed' };

/** One line for each currency; a credit lowers it. */
export const sumWords = ({ sums }: Pick<CostLoad, 'sums'>): string =>
  sums
    .map(({ currency, amountMicros, creditMicros }) =>
      [
        amountMicros !== '0' || creditMicros === '0' ? `${money(amountMicros)} ${currency}` : '',
        creditMicros === '0' ? '' : `${money(`-${creditMicros}`)} ${currency} credit`,
      ]
        .filter(Boolean)
        .join(', '),
    )
    .join(' · ');

export const daysWords = ({ from, to }: { from: string; to: string }): string =>
  from === '' ? '–' : dayRange(from, to);

export function scopeWords({ campaignName, accountId, subs }: CostEntryRow): string {
  const words = [campaignName, accountId, ...subs.map((s) => `${s.name} ${s.value}`)].filter(Boolean);
  return words.length === 0 ? 'all visits of the source' : words.join(' · ');
}

export const checkWords: Record<CostChecks[number]['note'], string> = {
  no_cost: 'The tracking link has no cost. Most often the source did not fill in its macro.',
  unreadable_cost: 'Tracheon can’t read the cost in the tracking link.',
  odd_cost:
    'The cost is 20 times more or less than the usual cost of the campaign. Check the cost unit of the source.',
};
