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
import { countOf, isIn, type VisitCost, type VisitCount } from './flagSums.ts';
import { keyNames, type Gathering, type Segment, type Stretch } from './gather.ts';
import type { NumbersGround } from './ground.ts';

export const noSums = (): Sums => ({ visits: { ...noVisits }, conversions: [], unconverted: [] });

/** A row of `gv`. */
type VisitRow = {
  segment: number;
  young: boolean;
  f: number;
  n: number;
  priced: number;
  cost: string;
} & Sources;
type Sources = { s1: string; s2: string };
/** A row of `gc`. */
interface ConversionRow {
  segment: number;
  young: boolean;
  o: string;
  w: string;
  e: string;
  s: ConversionStatus;
  c: string;
  n: number;
  amount: string;
  /** Of `amount`. */
  estimated: string;
  waiting: string;
  partner: string;
}

type AddedConversions = ConversionRow & {
  total: bigint;
  stillEstimated: bigint;
  stillWaiting: bigint;
  owed: bigint;
};

export interface RowSums {
  values: string[];
  sums: Sums;
  /** Of visits that are old enough for a verdict. */
  mature: Sums;
  /** Of all its visits, where it is one; else empty. */
  sourceId: string;
}
export type SumsOfAll = Omit<RowSums, 'values'>;
/** Whose sums: of the rows of the page, of all rows, or of all but those of this page and the pages before it. */
type Part = 'page' | 'all' | 'rest';

/** No ID is so. */
const NO_SOURCE_YET = '?';
type RawVisits = Record<VisitCount, number> & Record<VisitCost, bigint>;

/** Adds gathered rows up: costs of one segment first, so that they are converted as one sum. */
class Adding {
  private readonly visits = new Map<string, { segment: number; young: boolean; raw: RawVisits }>();
  private readonly conversions = new Map<string, AddedConversions>();
  private sourceId = NO_SOURCE_YET;

  get isEmpty(): boolean {
    return this.visits.size === 0 && this.conversions.size === 0;
  }

  addVisits(row: VisitRow): void {
    const key = `${row.segment}|${row.young}`;
    let into = this.visits.get(key);
    if (!into) this.visits.set(key, (into = { ...row, raw: { ...noVisits } }));
    const { raw } = into;
    const gathered = { n: row.n, priced: row.priced, cost: BigInt(row.cost) };
    for (const name of visitCounts) if (isIn(name, row.f)) raw[name] += countOf(name, gathered);
    if (gathered.cost !== 0n)
      for (const name of visitCosts) if (isIn(name, row.f)) raw[name] += gathered.cost;
    const own = row.s1 === row.s2 ? row.s1 : '';
    this.sourceId = this.sourceId === NO_SOURCE_YET || this.sourceId === own ? own : '';
  }

  addConversions(row: ConversionRow): void {
    const key = [row.segment, row.young, row.o, row.w, row.e, row.s, row.c].join('|');
    const [amount, estimated, waiting, owed] = [row.amount, row.estimated, row.waiting, row.partner].map(
      BigInt,
    ) as [bigint, bigint, bigint, bigint];
    const into = this.conversions.get(key);
    if (!into)
      this.conversions.set(key, {
        ...row,
        total: amount,
        stillEstimated: estimated,
        stillWaiting: waiting,
        owed,
      });
    else {
      into.n += row.n;
      into.total += amount;
      into.stillEstimated += estimated;
      into.stillWaiting += waiting;
      into.owed += owed;
    }
  }

  made(segments: readonly Segment[], ground: NumbersGround): SumsOfAll {
    const all = { sums: noSums(), mature: noSums(), sourceId: this.sourceId };
    for (const { segment, young, raw } of this.visits.values())
      for (const sums of young ? [all.sums] : [all.sums, all.mature])
        putVisits(sums, raw, segments[segment], ground);
    for (const row of this.conversions.values())
      for (const sums of row.young ? [all.sums] : [all.sums, all.mature])
        putConversions(sums, row, segments[row.segment], ground);
    return all;
  }
}

/** The gathered rows of a part, each as `add` is told it; those of a page with the number of its row. */
async function eachGathered(
  of: Gathering,
  suffix: Stretch['suffix'],
  part: Part,
  to: (nr: number) => readonly Adding[],
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
  const visits = await rowsOf<VisitRow & { nr: number }>(
    of.connection,
    `SELECT ${nr} AS nr, segment, young, f, min(s1) AS s1, max(s2) AS s2, sum(n)::DOUBLE AS n, sum(priced)::DOUBLE AS priced,
       sum(cost)::VARCHAR AS cost FROM ${from('gv')} GROUP BY ALL`,
  );
  for (const row of visits) for (const adding of to(row.nr)) adding.addVisits(row);
  const conversions = await rowsOf<ConversionRow & { nr: number }>(
    of.connection,
    `SELECT ${nr} AS nr, segment, young, o, w, e, s, c, sum(n)::DOUBLE AS n, sum(amount)::VARCHAR AS amount, sum(estimated)::VARCHAR AS estimated,
       sum(waiting)::VARCHAR AS waiting, sum(partner)::VARCHAR AS partner
     FROM ${from('gc')} GROUP BY ALL`,
  );
  for (const row of conversions) for (const adding of to(row.nr)) adding.addConversions(row);
}

/** Of each row of the page, in its order; and of them together. */
export async function pageSums(
  of: Gathering,
  segments: readonly Segment[],
  rows: readonly string[][],
  suffix: Stretch['suffix'] = '',
): Promise<{ rows: RowSums[]; together: SumsOfAll }> {
  const each = rows.map(() => new Adding());
  const together = new Adding();
  await eachGathered(of, suffix, 'page', (nr) => [each[nr]!, together]);
  return {
    rows: rows.map((values, i) => ({ values, ...each[i]!.made(segments, of.ground) })),
    together: together.made(segments, of.ground),
  };
}

/** null where there is nothing in it. */
export async function sumsOf(
  of: Gathering,
  segments: readonly Segment[],
  part: 'all' | 'rest',
  suffix: Stretch['suffix'] = '',
): Promise<SumsOfAll | null> {
  const all = new Adding();
  await eachGathered(of, suffix, part, () => [all]);
  return all.isEmpty ? null : all.made(segments, of.ground);
}

/** `segment`: none where costs are in the desk's own currency. */
function putVisits(
  { visits: v, unconverted }: Sums,
  raw: RawVisits,
  segment: Segment | undefined,
  ground: NumbersGround,
): void {
  for (const name of visitCounts) v[name] += raw[name];
  const { currency, nanos } = segment ?? { currency: ground.currency, nanos: ONE };
  if (nanos === null) unconverted.push({ currency, spent: raw.spent, earned: 0n, onHold: 0n });
  else for (const name of visitCosts) v[name] += convert(raw[name], nanos);
}
const ONE = 1_000_000_000n;

function putConversions(
  sums: Sums,
  row: AddedConversions,
  segment: Segment | undefined,
  ground: NumbersGround,
): void {
  const type = ground.eventTypes.get(row.e) ?? { asConversion: false, asRevenue: false };
  const nanos = segment ? segment.nanos : ONE;
  sums.conversions.push({
    offerId: row.o,
    networkId: row.w,
    eventTypeId: row.e,
    status: row.s,
    countsAsConversion: type.asConversion,
    countsAsRevenue: type.asRevenue,
    count: row.n,
    amount: nanos === null ? 0n : convert(row.total, nanos),
    estimated: nanos === null ? 0n : convert(row.stillEstimated, nanos),
    partner: nanos === null ? 0n : convert(row.owed, nanos),
  });
  if (!type.asRevenue) return;
  const { balance } = statusOf[row.s];
  const wait = (currency: string, amount: bigint): void => {
    if (amount === 0n) return;
    sums.unconverted.push({
      currency,
      spent: 0n,
      earned: balance === 'earn' ? amount : 0n,
      onHold: balance === 'hold' ? amount : 0n,
    });
  };
  wait(row.c, row.stillWaiting);
  if (nanos === null) wait(ground.deskCurrency, row.total);
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
