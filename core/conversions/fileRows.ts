/** Rows of a file as calls: what a column means by its name and its values, dates as they are written there, one row as a query. */
import {
  postbackFields,
  type ColumnTarget,
  type ImportSettings,
  type NetworkInput,
} from '../contract/index.ts';
import { parseClickId } from '../identity/index.ts';
import { wireName } from '../links/index.ts';
import { asIsoDate } from '../time/index.ts';

/** Names that columns have elsewhere, in letters and digits only. */
const usual: Record<(typeof postbackFields)[number], readonly string[]> = {
  click_id: ['clickid', 'click', 'subid', 'subid1', 'sub1', 'sid', 'affsub', 'visitid'],
  payout: ['payout', 'amount', 'commission', 'revenue', 'earnings', 'sum', 'price'],
  currency: ['currency', 'cur', 'currencycode'],
  transaction: [
    'transaction',
    'transactionid',
    'txn',
    'txnid',
    'orderid',
    'order',
    'conversionid',
    'leadid',
    'id',
  ],
  event: ['event', 'eventtype', 'goal', 'goalname', 'action', 'type'],
  status: ['status', 'state', 'conversionstatus'],
  conversion_time: [
    'conversiontime',
    'time',
    'date',
    'datetime',
    'created',
    'createdat',
    'conversiondate',
    'timestamp',
  ],
  partner_id: ['partnerid', 'partner', 'publisher', 'publisherid', 'affiliate', 'affiliateid', 'pubid'],
  offer_id: ['offerid', 'offer', 'program', 'programid', 'campaignid'],
  sale: ['sale', 'saleamount', 'ordervalue', 'orderamount', 'basket', 'basketvalue'],
  sale_currency: ['salecurrency', 'ordercurrency'],
  changed_time: ['changedtime', 'updated', 'updatedat', 'modified', 'changed', 'statusdate', 'approvedat'],
};
const plain = (name: string): string => name.toLowerCase().replaceAll(/[^a-z0-9]/g, '');

/** What each column probably means: by the network's own names, by usual ones, and by the values themselves. */
export function guessTargets(
  header: readonly string[],
  rows: readonly (readonly string[])[],
  network: NetworkInput | undefined,
): ColumnTarget[] {
  const targets: ColumnTarget[] = header.map(() => '');
  const give = (column: number, target: ColumnTarget): void => {
    if (column >= 0 && targets[column] === '' && !targets.includes(target)) targets[column] = target;
  };
  const holdsClickIds = (i: number): boolean => {
    const values = rows.map((r) => r[i] ?? '').filter((v) => v !== '');
    return values.length > 0 && values.filter((v) => parseClickId(v) !== null).length * 2 > values.length;
  };
  give(
    header.findIndex((_, i) => holdsClickIds(i)),
    'click_id',
  );
  for (const field of postbackFields) {
    const own = network ? [wireName(network, field), network.fields[field].macro] : [];
    const names = [field, ...own, ...usual[field]].map(plain).filter(Boolean);
    for (const name of names)
      give(
        header.findIndex((h) => plain(h) === name),
        field,
      );
  }
  return targets;
}

const TIMES: ReadonlySet<string> = new Set(['conversion_time', 'changed_time']);

/** One row in our wire names; columns without a meaning, and empty cells, are left out. */
export function rowAsQuery(
  cells: readonly string[],
  { targets, dates }: Pick<ImportSettings, 'targets' | 'dates'>,
): string {
  return targets
    .map((target, i) => {
      const cell = (cells[i] ?? '').trim();
      if (target === '' || cell === '') return '';
      const value = TIMES.has(target) ? asIsoDate(cell, dates) : cell;
      return `${target}=${encodeURIComponent(value.toWellFormed())}`;
    })
    .filter(Boolean)
    .join('&');
}
