/** Gathered sums as core reckons with them: of the rows of a page, and of all. */
import type { DuckDBConnection } from '@duckdb/node-api';
import { sqlStatuses, statusOf, type ConversionStatus } from '@tracheon/core/contract';
import { approvalRates, noVisits, visitCounts, type ApprovalRate, type Sums } from '@tracheon/core/metrics';
import { convert } from '@tracheon/core/money';
import { keyNames, type Gathering, type Segment } from './gather.ts';
import type { NumbersGround } from './ground.ts';

export const noSums = (): Sums => ({ visits: { ...noVisits }, conversions: [], unconverted: [] });

const counts = (of: (name: string) => string): string =>
  visitCounts.map((n) => `${of(`"${n}"`)}::DOUBLE AS "${n}"`).join(', ');

/** What a row of `gv` is. */
type VisitRow = { segment: number; spent: string; botCost: string } & Record<
  (typeof visitCounts)[number],
  number
>;
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

export async function pageSums(
  of: Gathering,
  segments: readonly Segment[],
): Promise<{ values: string[]; sums: Sums }[]> {
  const names = keyNames(of);
  const on = names.map((k) => `g.${k} = p.${k}`).join(' AND ');
  const pages = await rowsOf<Record<string, string>>(
    of.connection,
    `SELECT ${names.join(', ')} FROM page ORDER BY nr`,
  );
  const rows = pages.map((p) => ({ values: names.map((k) => p[k]!), sums: noSums() }));
  const visits = await rowsOf<VisitRow & { nr: number }>(
    of.connection,
    `SELECT p.nr, g.segment, ${counts((n) => `g.${n}`)}, g.spent::VARCHAR AS spent, g."botCost"::VARCHAR AS "botCost"
     FROM page p JOIN gv g ON ${on}`,
  );
  for (const row of visits) addVisits(rows[row.nr]!.sums, row, segments, of.ground);
  const conversions = await rowsOf<ConversionRow & { nr: number }>(
    of.connection,
    `SELECT p.nr, g.o, g.w, g.e, g.s, g.c, g.n::DOUBLE AS n, g.amount::VARCHAR AS amount, g.waiting::VARCHAR AS waiting
     FROM page p JOIN gc g ON ${on}`,
  );
  for (const row of conversions) addConversions(rows[row.nr]!.sums, row, of.ground);
  return rows;
}

export async function totalSums(of: Gathering, segments: readonly Segment[]): Promise<Sums> {
  const sums = noSums();
  const visits = await rowsOf<VisitRow>(
    of.connection,
    `SELECT segment, ${counts((n) => `sum(${n})`)}, sum(spent)::VARCHAR AS spent, sum("botCost")::VARCHAR AS "botCost"
     FROM gv GROUP BY segment`,
  );
  for (const row of visits) addVisits(sums, row, segments, of.ground);
  const conversions = await rowsOf<ConversionRow>(
    of.connection,
    `SELECT o, w, e, s, c, sum(n)::DOUBLE AS n, sum(amount)::VARCHAR AS amount, sum(waiting)::VARCHAR AS waiting
     FROM gc GROUP BY o, w, e, s, c`,
  );
  for (const row of conversions) addConversions(sums, row, of.ground);
  return sums;
}

function addVisits(
  { visits: v, unconverted }: Sums,
  row: VisitRow,
  segments: readonly Segment[],
  ground: NumbersGround,
): void {
  for (const name of visitCounts) v[name] += row[name];
  const [spent, botCost] = [BigInt(row.spent), BigInt(row.botCost)];
  const { currency, nanos } = segments[row.segment] ?? { currency: ground.currency, nanos: ONE };
  if (nanos === null) unconverted.push({ currency, spent, earned: 0n, onHold: 0n });
  else {
    v.spent += convert(spent, nanos);
    v.botCost += convert(botCost, nanos);
  }
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
export async function loadApproval({ connection, tables }: Gathering): Promise<ApprovalRate> {
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
