/** Rows of a source's cost file as entries: what each column means, days in the source's zone, amounts without guessing. */
import type { CostFileSettings, CostTarget } from '../contract/index.ts';
import { amountSentence, parseBilled, type Micros } from '../money/index.ts';
import { asIsoDate, daysIn, isDay } from '../time/index.ts';
import type { CostScope } from './entries.ts';

export interface FileContext {
  /** Campaigns of the source, by what a file may call them: name in small letters, key or ID. */
  campaigns: ReadonlyMap<string, string>;
  accounts: ReadonlySet<string>;
  currency: string;
}
export interface ReadEntry extends CostScope {
  from: string;
  to: string;
  isCredit: boolean;
  amount: Micros;
}
export type ReadRow =
  | { kind: 'entry'; entry: ReadEntry }
  /** The last line of many files: the sum of the others. */
  | { kind: 'total'; amount: Micros }
  | { kind: 'problem'; why: string };

const MAX_DAYS = 400;
const TOTAL = /^(grand )?(total|sum|subtotal)s?:?$/i;
const SUB = 'sub_';

export function readCostRow(
  cells: readonly string[],
  { targets, decimalMark, dates, campaignId }: CostFileSettings,
  context: FileContext,
): ReadRow {
  const of = (target: CostTarget): string => (cells[targets.indexOf(target)] ?? '').trim();
  const amount = parseBilled(of('amount'), decimalMark);
  const isTotal = cells.some((c) => TOTAL.test(c.trim()));
  if (!amount.ok) return problem(amountSentence(amount.problem, of('amount')));
  const days = daysOf(targets.includes('day') ? [of('day')] : [of('first_day'), of('last_day')], dates);
  if (typeof days === 'string') return isTotal ? { kind: 'total', amount: amount.micros } : problem(days);
  const currency = of('currency').toUpperCase();
  if (currency !== '' && currency !== context.currency)
    return problem(`The row is in ${currency}, but this source bills in ${context.currency}.`);
  const campaign =
    campaignId || (of('campaign') === '' ? '' : context.campaigns.get(of('campaign').toLowerCase()));
  if (campaign === undefined)
    return problem(`This source has no campaign named “${of('campaign').slice(0, 80)}”.`);
  const account = of('account');
  if (account !== '' && !context.accounts.has(account))
    return problem(`This source has no account named “${account.slice(0, 80)}”.`);
  const subs = Object.fromEntries(
    targets.flatMap((t, i) => {
      const value = (cells[i] ?? '').trim();
      return t.startsWith(SUB) && value !== '' ? [[t.slice(SUB.length), value]] : [];
    }),
  );
  const isCredit = amount.micros < 0n;
  return {
    kind: 'entry',
    entry: {
      ...days,
      campaignId: campaign,
      accountId: account,
      subs,
      isCredit,
      amount: isCredit ? -amount.micros : amount.micros,
    },
  };
}

const problem = (why: string): ReadRow => ({ kind: 'problem', why });

/** A day may be written with its time. */
function daysOf(
  texts: readonly string[],
  dates: CostFileSettings['dates'],
): { from: string; to: string } | string {
  const [from = '', to = from] = texts.map((t) => asIsoDate(t, dates).slice(0, 'YYYY-MM-DD'.length));
  for (const [i, day] of [from, to].entries())
    if (!isDay(day))
      return texts[i] === '' ? 'There is no day.' : `“${(texts[i] ?? texts[0])!.slice(0, 40)}” is not a day.`;
  if (to < from) return `The last day ${to} is before the first day ${from}.`;
  return daysIn({ from, to }) > MAX_DAYS ? `The period has more than ${MAX_DAYS} days.` : { from, to };
}

/** Two rows of one scope and period: the later one counts. */
export const entryKey = (e: ReadEntry): string =>
  JSON.stringify([
    e.from,
    e.to,
    e.isCredit,
    e.campaignId,
    e.accountId,
    Object.entries(e.subs).sort(([a], [b]) => (a < b ? -1 : 1)),
  ]);

const usual: Record<Exclude<CostTarget, '' | `sub_${string}`>, readonly string[]> = {
  day: ['day', 'date', 'reportdate', 'statdate'],
  first_day: ['firstday', 'from', 'startdate', 'datefrom', 'reportingstarts'],
  last_day: ['lastday', 'to', 'enddate', 'dateto', 'reportingends'],
  campaign: ['campaign', 'campaignname'],
  account: ['account', 'accountname'],
  amount: ['amount', 'cost', 'spend', 'spent', 'amountspent', 'totalcost', 'charge', 'charged'],
  currency: ['currency', 'currencycode', 'cur'],
};
const plain = (name: string): string => name.toLowerCase().replaceAll(/[^a-z0-9]/g, '');

/** What each column probably means: by usual names, and by those of the source's sub-IDs and parameters. */
export function guessCostTargets(
  header: readonly string[],
  subs: readonly { name: string; parameter: string }[],
): CostTarget[] {
  const targets: CostTarget[] = header.map(() => '');
  const give = (names: readonly string[], target: CostTarget): void => {
    const at = header.findIndex((h, i) => targets[i] === '' && names.includes(plain(h)));
    if (at >= 0 && !targets.includes(target)) targets[at] = target;
  };
  for (const [target, names] of Object.entries(usual)) give(names, target as CostTarget);
  for (const { name, parameter } of subs)
    give([plain(name), plain(parameter), plain(`${name}id`)], `${SUB}${name}`);
  return targets;
}
