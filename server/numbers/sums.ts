/** Gathered sums as core reckons with them: of the rows of a page, and of all. */
import type { DuckDBConnection } from '@duckdb/node-api';
import { sqlStatuses, statusOf, type ConversionStatus } from '@tracheon/core/contract';
import {
  approvalRates,
  noVisits,
  visitCosts,
  visitCounts,
  type ApprovalRate,
  type Sums,
} from '@tracheon/core/metrics';
import { convert } from '@tracheon/core/money';
import { keyNames, type Gathering, type Segment, type Stretch } from './gather.ts';
import type { NumbersGround } from './ground.ts';

export const noSums = (): Sums => ({ visits: { ...noVisits }, conversions: [], unconverted: [] });

const counts = (of: (name: string) => string): string =>
  visitCounts.map((n) => `${of(`"${n}"`)}::DOUBLE AS "${n}"`).join(', ');

/** What a row of `gv` is. */
type VisitRow = { segment: number } & Record<(typeof visitCosts)[number], string> &
  Record<(typeof visitCounts)[number], number>;
interface ConversionRow {
  o: string;
  w: string;
  e: string;
  s: ConversionStatus;
  c: string;
  n: number;
  amount: string;
  waiting: string;
}

export interface RowSums {
  values: string[];
  sums: Sums;
  /** Of visits that are old enough for a verdict. */
  mature: Sums;
  /** Of all its visits, where it is one; else empty. */
  sourceId: string;
}
/** Whose sums: of the rows of the page, of all rows, or of all but those of this page and the pages before it. */
type Part = 'page' | 'all' | 'rest';
type Sources = { s1: string; s2: string };

/** The sums of a part, row by row as `add` is told them. */
async function eachSum(
  of: Gathering,
  suffix: Stretch['suffix'],
  part: Part,
  add: {
    visits: (row: VisitRow & Sources & { nr: number; young: boolean }) => void;
    conversions: (row: ConversionRow & { nr: number; young: boolean }) => void;
  },
): Promise<void> {
  const on = keyNames(of)
    .map((k) => `g.${k} = p.${k}`)
    .join(' AND ');
  const from = (table: string): string =>
    part === 'page'
      ? `${table}${suffix} g JOIN page p ON ${on} WHERE p.nr >= 0`
      : part === 'rest'
        ? `${table}${suffix} g ANTI JOIN page p ON ${on}`
        : `${table}${suffix} g`;
  const nr = part === 'page' ? 'p.nr' : '0';
  const visits = await rowsOf<VisitRow & Sources & { nr: number; young: boolean }>(
    of.connection,
    `SELECT ${nr} AS nr, segment, young, min(s1) AS s1, max(s2) AS s2, ${counts((n) => `sum(${n})`)},
       ${visitCosts.map((n) => `sum("${n}")::VARCHAR AS "${n}"`).join(', ')} FROM ${from('gv')} GROUP BY ALL`,
  );
  visits.forEach(add.visits);
  const conversions = await rowsOf<ConversionRow & { nr: number; young: boolean }>(
    of.connection,
    `SELECT ${nr} AS nr, young, o, w, e, s, c, sum(n)::DOUBLE AS n, sum(amount)::VARCHAR AS amount, sum(waiting)::VARCHAR AS waiting
     FROM ${from('gc')} GROUP BY ALL`,
  );
  conversions.forEach(add.conversions);
}

export async function pageSums(
  of: Gathering,
  segments: readonly Segment[],
  suffix: Stretch['suffix'] = '',
): Promise<RowSums[]> {
  const names = keyNames(of);
  const pages = await rowsOf<Record<string, string>>(
    of.connection,
    `SELECT ${names.join(', ')} FROM page WHERE nr >= 0 ORDER BY nr`,
  );
  const rows = pages.map((p): RowSums => ({ values: names.map((k) => p[k]!), ...noRow() }));
  await eachSum(of, suffix, 'page', {
    visits: (row) => addRow(rows[row.nr]!, row, segments, of.ground),
    conversions: (row) => addRowConversions(rows[row.nr]!, row, of.ground),
  });
  return rows;
}

/** Of the rows that are not in the page or the pages before it; null where there are none. */
export async function restSums(of: Gathering, segments: readonly Segment[]): Promise<Sums | null> {
  const { sums, sourceId } = await sumsOf(of, segments, 'rest');
  return sourceId === NO_SOURCE_YET && sums.conversions.length === 0 ? null : sums;
}

export async function sumsOf(
  of: Gathering,
  segments: readonly Segment[],
  part: 'all' | 'rest',
  suffix: Stretch['suffix'] = '',
): Promise<Omit<RowSums, 'values'>> {
  const all = noRow();
  await eachSum(of, suffix, part, {
    visits: (row) => addRow(all, row, segments, of.ground),
    conversions: (row) => addRowConversions(all, row, of.ground),
  });
  return all;
}

const noRow = (): Omit<RowSums, 'values'> => ({ sums: noSums(), mature: noSums(), sourceId: NO_SOURCE_YET });
/** No ID is so. */
const NO_SOURCE_YET = '?';

type Into = Omit<RowSums, 'values'>;
function addRow(
  into: Into,
  row: VisitRow & Sources & { young: boolean },
  segments: readonly Segment[],
  ground: NumbersGround,
): void {
  addVisits(into.sums, row, segments, ground);
  if (!row.young) addVisits(into.mature, row, segments, ground);
  const own = row.s1 === row.s2 ? row.s1 : '';
  into.sourceId = into.sourceId === NO_SOURCE_YET || into.sourceId === own ? own : '';
}
function addRowConversions(into: Into, row: ConversionRow & { young: boolean }, ground: NumbersGround): void {
  addConversions(into.sums, row, ground);
  if (!row.young) addConversions(into.mature, row, ground);
}

function addVisits(
  { visits: v, unconverted }: Sums,
  row: VisitRow,
  segments: readonly Segment[],
  ground: NumbersGround,
): void {
  for (const name of visitCounts) v[name] += row[name];
  const { currency, nanos } = segments[row.segment] ?? { currency: ground.currency, nanos: ONE };
  if (nanos === null) unconverted.push({ currency, spent: BigInt(row.spent), earned: 0n, onHold: 0n });
  else for (const name of visitCosts) v[name] += convert(BigInt(row[name]), nanos);
}
const ONE = 1_000_000_000n;

function addConversions(sums: Sums, row: ConversionRow, ground: NumbersGround): void {
  const type = ground.eventTypes.get(row.e) ?? { asConversion: false, asRevenue: false };
  sums.conversions.push({
    offerId: row.o,
    networkId: row.w,
    eventTypeId: row.e,
    status: row.s,
    countsAsConversion: type.asConversion,
    countsAsRevenue: type.asRevenue,
    count: row.n,
    amount: BigInt(row.amount),
  });
  const waiting = BigInt(row.waiting);
  if (waiting === 0n || !type.asRevenue) return;
  const { balance } = statusOf[row.s];
  sums.unconverted.push({
    currency: row.c,
    spent: 0n,
    earned: balance === 'earn' ? waiting : 0n,
    onHold: balance === 'hold' ? waiting : 0n,
  });
}

/** Approval by offer and event type over all conversions of the desk. */
export async function loadApproval({
  connection,
  tables,
}: Pick<Gathering, 'connection' | 'tables'>): Promise<ApprovalRate> {
  const rows = await rowsOf<{ o: string; w: string; e: string; approved: number; decided: number }>(
    connection,
    `SELECT offer_id AS o, network_id AS w, event_type_id AS e, count(*) FILTER (WHERE status = 'approved')::DOUBLE AS approved,
       count(*) FILTER (WHERE status IN (${sqlStatuses((s) => statusOf[s].isDecided)}))::DOUBLE AS decided
     FROM ${tables.conversions} GROUP BY o, w, e`,
  );
  return approvalRates(
    rows.map(({ o, w, e, approved, decided }) => ({
      offerId: o,
      networkId: w,
      eventTypeId: e,
      approved,
      decided,
    })),
  );
}

export async function rowsOf<R>(
  connection: DuckDBConnection,
  sql: string,
  values: string[] = [],
): Promise<R[]> {
  return (await connection.runAndReadAll(sql, values)).getRowObjectsJS() as R[];
}
