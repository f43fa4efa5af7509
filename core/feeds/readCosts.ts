/**
 * Rows of a cost report: what a source bills for a campaign and values of named sub-IDs. A scope is kept as the key of a
 * feed's entry; of a scope that a report names twice, the later row counts.
 */
import { NOT_CHOSEN, type FeedInput } from '../contract/index.ts';
import type { Micros } from '../money/index.ts';
import { amountOf, checkCurrency, FeedProblem, at, shown, textAt } from './readAnswer.ts';
import type { FeedEntry } from './sets.ts';

export interface CostScopeOfRow {
  campaignId: string;
  subs: Record<string, string>;
}
const COST = 'cost';
const CREDIT = 'credit';
/** As long as a value of a sub-ID may be. */
const MAX_VALUE = 512;

export const scopeKey = ({ campaignId, subs }: CostScopeOfRow): string =>
  JSON.stringify([campaignId, Object.entries(subs).sort(([a], [b]) => (a < b ? -1 : 1))]);

/** The scope and the sum of an entry that `costsOf` has made. */
export function costOf({
  key,
  eventTypeId,
  amount,
}: FeedEntry): CostScopeOfRow & { isCredit: boolean; amount: Micros } {
  const [campaignId, subs] = JSON.parse(key) as [string, [string, string][]];
  return { campaignId, subs: Object.fromEntries(subs), isCredit: eventTypeId === CREDIT, amount };
}

export interface ReadCosts {
  entries: FeedEntry[];
  /** All rows' sum: what the provider's own total is compared with. */
  sum: Micros;
  /** Rows whose campaign is none of the source's: their names, and what they cost. */
  unknown: { name: string; amount: Micros }[];
}

/** `campaigns`: the source's, by name in small letters, key or ID. Throws FeedProblem. */
export function costsOf(
  feed: FeedInput,
  rows: readonly unknown[],
  campaigns: ReadonlyMap<string, string>,
): ReadCosts {
  const read: ReadCosts = { entries: [], sum: 0n, unknown: [] };
  if (feed.amountAt === NOT_CHOSEN) return read;
  rows.forEach((row, i) => {
    checkCurrency(feed, row, i);
    const text = textAt(row, feed.amountAt)?.trim() ?? '';
    if (text === '') {
      if (i === 0 && at(row, feed.amountAt) === undefined)
        throw new FeedProblem(`The rows have no field ${shown(feed.amountAt)}.`);
      return;
    }
    const amount = amountOf(feed, text, `Row ${i + 1}, ${feed.amountAt}`);
    read.sum += amount;
    const name = feed.campaignAt === '' ? '' : (textAt(row, feed.campaignAt)?.trim() ?? '');
    const campaignId = name === '' ? '' : campaigns.get(name.toLowerCase());
    if (campaignId === undefined) {
      read.unknown.push({ name, amount });
      return;
    }
    const subs = Object.fromEntries(
      feed.subs.flatMap(({ name: sub, at: place }) => {
        const value = (textAt(row, place)?.trim() ?? '').slice(0, MAX_VALUE);
        return value === '' ? [] : [[sub, value]];
      }),
    );
    read.entries.push({
      key: scopeKey({ campaignId, subs }),
      eventTypeId: amount < 0n ? CREDIT : COST,
      amount: amount < 0n ? -amount : amount,
      currency: feed.currency,
    });
  });
  return read;
}
