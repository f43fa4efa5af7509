/** Gathered sums as core reckons with them: of the rows of a page, and of all. */
import type { DuckDBConnection } from '@duckdb/node-api';
import { sqlStatuses, statusOf } from '@tracheon/core/contract';
import { approvalRates, newVisits, visitCosts, visitCounts, type ApprovalRate } from '@tracheon/core/metrics';
import { exactSumSql, type RawVisits } from './flagSums.ts';
import { keyNames, type Gathering, type Stretch } from './gather.ts';
import {
  Gathered,
  together,
  type ConversionKind,
  type ConversionRow,
  type SumsOfAll,
  type VisitRow,
} from './gathered.ts';
import type { Segment } from './rateSegments.ts';

export interface RowSums extends SumsOfAll {
  values: string[];
}
export interface PageSums {
  rows: RowSums[];
  all: SumsOfAll;
  /** All but the rows of this page and the pages before it; null where nothing is left. */
  rest: SumsOfAll | null;
}

/** Where gathered rows are read: each with the number of the row of the page that it belongs to. */
interface Reading {
  connection: DuckDBConnection;
  suffix: Stretch['suffix'];
  /** `p`, the table `page`, beside gathered rows `g`. */
  withPage: string;
}
/** Rows of earlier pages have numbers below 0, too. */
const NOT_IN_PAGE = -2_000_000_000;
const NR = `coalesce(p.nr, ${NOT_IN_PAGE}) AS nr`;

async function eachVisits(
  { connection, suffix, withPage }: Reading,
  add: (nr: number, row: VisitRow) => void,
): Promise<void> {
  const [numbers, segments, youngs, ...sums] = await columnsOf(
    connection,
    `SELECT ${NR}, segment, young, ${visitCounts.map((name) => `${exactSumSql(name)}::DOUBLE`).join(', ')}, ${visitCosts.map(exactSumSql).join(', ')}
     FROM gv${suffix} g ${withPage} GROUP BY ALL`,
  );
  (numbers ?? []).forEach((n, i) => {
    const raw: RawVisits = newVisits();
    visitCounts.forEach((name, k) => (raw[name] = sums[k]![i] as number));
    visitCosts.forEach((name, k) => (raw[name] = sums[visitCounts.length + k]![i] as bigint));
    add(n as number, { segment: segments![i] as number, young: youngs![i] as boolean, raw });
  });
}

async function eachConversions(
  { connection, suffix, withPage }: Reading,
  add: (nr: number, row: ConversionRow) => void,
): Promise<void> {
  const kinds = await rowsOf<ConversionKind>(
    connection,
    `SELECT o, w, e, s, c FROM gk${suffix} ORDER BY number`,
  );
  // Texts that many rows have are read once, and known by their number.
  const [numbers, segments, youngs, counts, amounts, estimated, waiting, partner, kind] = await columnsOf(
    connection,
    `SELECT ${NR}, segment, young, sum(n)::DOUBLE, sum(amount), sum(estimated), sum(waiting), sum(partner), d.number
     FROM gc${suffix} g JOIN gk${suffix} d ON d.h = g.h ${withPage} GROUP BY ALL`,
  );
  (numbers ?? []).forEach((n, i) =>
    add(n as number, {
      segment: segments![i] as number,
      young: youngs![i] as boolean,
      kind: kinds[kind![i] as number]!,
      n: counts![i] as number,
      amount: amounts![i] as bigint,
      estimated: estimated![i] as bigint,
      waiting: waiting![i] as bigint,
      partner: partner![i] as bigint,
    }),
  );
}

/** Of each of the rows, the first ones of the table `page` from its number 0 on; and of all others. */
export async function pageSums(
  of: Gathering,
  segments: readonly Segment[],
  rows: readonly string[][],
  suffix: Stretch['suffix'] = '',
): Promise<PageSums> {
  const each = rows.map(() => new Gathered());
  const [rest, others] = [new Gathered(), new Gathered()];
  const to = (nr: number): Gathered => each[nr] ?? (nr === NOT_IN_PAGE ? rest : others);
  const on = keyNames(of).map((k) => `g.${k} = p.${k}`);
  const withPage = `LEFT JOIN page p ON ${on.join(' AND ')}`;
  const reading = { connection: of.connection, suffix, withPage };
  await eachVisits(reading, (n, row) => to(n).visits.push(row));
  await eachConversions(reading, (n, row) => to(n).conversions.push(row));
  const made = (one: Gathered): SumsOfAll => one.made(segments, of.ground);
  return {
    rows: rows.map((values, i) => ({ values, ...made(each[i]!) })),
    all: made(together([...each, rest, others])),
    rest: rest.isEmpty ? null : made(rest),
  };
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

const columnsOf = async (connection: DuckDBConnection, sql: string): Promise<unknown[][]> =>
  (await connection.runAndReadAll(sql)).getColumnsJS();

export async function rowsOf<R>(
  connection: DuckDBConnection,
  sql: string,
  values: string[] = [],
): Promise<R[]> {
  return (await connection.runAndReadAll(sql, values)).getRowObjectsJS() as R[];
}
