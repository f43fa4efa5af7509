/** Which rows a page has: searched, sorted by a figure or by name, cut; written to the temporary table `page`. */
import type { DuckDBConnection } from '@duckdb/node-api';
import {
  isCounted,
  sqlStatuses,
  statusOf,
  type FigureFilter,
  type NumbersAsked,
} from '@tracheon/core/contract';
import {
  figureUnit,
  readEventFigure,
  readOwnFigure,
  visitCosts,
  visitCounts,
  type ApprovalRate,
  type FigureName,
} from '@tracheon/core/metrics';
import { anyFigureSql } from './figureSql.ts';
import { flagSumSql } from './flagSums.ts';
import { keyNames, type Gathering } from './gather.ts';
import { OWN_SEGMENT, type Segment } from './rateSegments.ts';
import { rowsOf } from './sums.ts';
import { givesVerdicts } from './verdicts.ts';

export interface Page {
  /** How many rows there are, also those that are not in the page. */
  count: number;
  /** Values of the rows of the page, in their order. */
  rows: string[][];
}

/** Rows of earlier pages are in the table `page` as well, with numbers below 0. */
export async function choosePage(
  of: Gathering,
  asked: NumbersAsked,
  segments: readonly Segment[],
  approval: ApprovalRate,
): Promise<Page> {
  const { connection } = of;
  const by = keyNames(of).join(', ');
  const { where, values } = searched(of, asked.search);
  const meets = [where, ...asked.having.map((f) => filterSql(of, f))].join(' AND ');
  const isByName = asked.sort === '';
  const order = isByName
    ? by
    : `${anyFigureSql(of, asked.sort)} ${asked.isDescending ? 'DESC' : 'ASC'} NULLS LAST, ${by}`;
  // Planning a sum that nobody reads takes longer than most answers.
  const isRead = (name: string): boolean => `${meets} ${order}`.includes(`"${name}"`);
  // What is shown is what rows are sorted and filtered by.
  const from = asked.onlyMature && givesVerdicts(asked) ? onlyMature : asGathered;
  const sums = `(${visitSums(by, isRead, from)}) v FULL JOIN (${conversionSums(by, eventsIn(asked), isRead, from)}) c USING (${by})`;
  const isByFigures = asked.having.length > 0 || !isByName;
  if (isByFigures) await makeGround(of, segments, approval);
  const rows = isByFigures
    ? `(SELECT * FROM ${sums}) g WHERE ${meets}`
    : `(SELECT ${by} FROM gv UNION SELECT ${by} FROM gc) g WHERE ${where}`;
  if (isByName) return byName(of, asked, rows, values);
  const [{ count }] = (await rowsOf<{ count: number }>(
    connection,
    `SELECT count(*)::DOUBLE AS count FROM ${
      asked.having.length === 0 ? `(SELECT ${by} FROM gv UNION SELECT ${by} FROM gc) g WHERE ${where}` : rows
    }`,
    values,
  )) as [{ count: number }];
  await connection.run(
    `CREATE TEMP TABLE page AS SELECT (row_number() OVER (ORDER BY ${order}) - 1 - ${asked.offset})::INTEGER AS nr, ${by}
     FROM ${rows} ORDER BY ${order} LIMIT ${asked.offset + asked.limit}`,
    values,
  );
  const page = await connection.runAndReadAll(`SELECT ${by} FROM page WHERE nr >= 0 ORDER BY nr`);
  return { count, rows: page.getRowsJS() as string[][] };
}

/** Amounts are asked for in whole units, as formulas have them. */
function filterSql(of: Gathering, { figure, is, than }: FigureFilter): string {
  return `${anyFigureSql(of, figure)} ${is} ${isInMicros(figure) ? than * 1e6 : than}::DOUBLE`;
}
function isInMicros(name: string): boolean {
  const event = readEventFigure(name);
  if (event) return event.kind !== 'count' && event.kind !== 'rate';
  return readOwnFigure(name) === null && figureUnit(name as FigureName) === 'money';
}

/** Rates and kinds that sums are weighed with; near enough to sort by. */
async function makeGround(
  of: Gathering,
  segments: readonly Segment[],
  approval: ApprovalRate,
): Promise<void> {
  const { connection, ground } = of;
  await connection.run(
    `CREATE TEMP TABLE rates (segment INTEGER, rate DOUBLE);
     CREATE TEMP TABLE kinds (e VARCHAR, "asConversion" BOOLEAN, "asRevenue" BOOLEAN);
     CREATE TEMP TABLE approvals (o VARCHAR, w VARCHAR, e VARCHAR, share DOUBLE)`,
  );
  await fill(connection, 'rates', [
    [OWN_SEGMENT, 1],
    ...segments.map((s, i) => [i, s.nanos === null ? 0 : Number(s.nanos) / 1e9]),
  ]);
  await fill(
    connection,
    'kinds',
    [...ground.eventTypes].map(([id, t]) => [id, t.asConversion, t.asRevenue]),
  );
  const owners = await rowsOf<{ o: string; w: string; e: string }>(
    connection,
    'SELECT DISTINCT o, w, e FROM gk',
  );
  await fill(
    connection,
    'approvals',
    owners.map(({ o, w, e }) => {
      const { approved, decided } = approval(o, w, e);
      return [o, w, e, decided === 0 ? 1 : approved / decided];
    }),
  );
}

async function fill(
  connection: DuckDBConnection,
  table: 'rates' | 'kinds' | 'approvals',
  rows: readonly (string | number | boolean)[][],
): Promise<void> {
  const appender = await connection.createAppender(table);
  for (const row of rows) {
    for (const [i, value] of row.entries())
      if (typeof value === 'string') appender.appendVarchar(value);
      else if (typeof value === 'boolean') appender.appendBoolean(value);
      else if (table === 'rates' && i === 0) appender.appendInteger(value);
      else appender.appendDouble(value);
    appender.endRow();
  }
  appender.closeSync();
}

/** Where gathered rows are read: as they are, or with nothing of visits that are too young. */
interface GatheredFrom {
  gv: string;
  gc: string;
}
const asGathered: GatheredFrom = { gv: 'gv', gc: 'gc' };
const emptyIfYoung = (table: string, columns: readonly string[]): string =>
  `(SELECT * REPLACE (${columns.map((c) => `CASE WHEN young THEN 0 ELSE ${c} END AS ${c}`).join(', ')}) FROM ${table})`;
const onlyMature: GatheredFrom = {
  gv: emptyIfYoung('gv', ['n', 'priced', 'cost']),
  gc: emptyIfYoung('gc', ['n', 'amount', 'estimated', 'partner']),
};

const visitSums = (by: string, isRead: (name: string) => boolean, { gv }: GatheredFrom): string =>
  `SELECT ${[by, ...[...visitCounts, ...visitCosts].filter(isRead).map((n) => `${flagSumSql(n)} AS "${n}"`)].join(', ')}
   FROM ${gv} JOIN rates USING (segment) GROUP BY ${by}`;
/** Event types that rows are sorted or narrowed by. */
const eventsIn = ({ sort, having }: NumbersAsked): Set<string> =>
  new Set([sort, ...having.map((f) => f.figure)].flatMap((name) => readEventFigure(name)?.eventTypeId ?? []));
const earns = sqlStatuses((s) => statusOf[s].balance === 'earn');
const holds = sqlStatuses((s) => statusOf[s].balance === 'hold');
const counts = sqlStatuses(isCounted);
/** How much of an amount is expected. */
const SHARE = `CASE WHEN s IN (${holds}) THEN share ELSE 1 END`;
/** Of conversions, by the name of the sum. */
const conversionSum: Record<string, string> = {
  conversions: `sum(n) FILTER (WHERE "asConversion" AND s IN (${counts}))`,
  approved: `sum(n) FILTER (WHERE s = 'approved')`,
  decided: `sum(n) FILTER (WHERE s IN (${sqlStatuses((s) => statusOf[s].isDecided)}))`,
  earned: `sum(amount * rate) FILTER (WHERE "asRevenue" AND s IN (${earns}))`,
  onHold: `sum(amount * rate) FILTER (WHERE "asRevenue" AND s IN (${holds}))`,
  held: `sum(amount * rate * share) FILTER (WHERE "asRevenue" AND s IN (${holds}))`,
  partner: `sum(partner * rate)`,
  estimated: `sum(estimated * rate * ${SHARE}) FILTER (WHERE "asRevenue" AND s IN (${counts}))`,
};
/** With sums of these event types each for itself. */
function conversionSums(
  by: string,
  events: ReadonlySet<string>,
  isRead: (name: string) => boolean,
  { gc }: GatheredFrom,
): string {
  const sums = Object.entries(conversionSum).filter(([name]) => isRead(name));
  const columns = [
    by,
    ...[...events].flatMap(eventColumns),
    ...sums.map(([name, sql]) => `${sql} AS "${name}"`),
  ];
  return `SELECT ${columns.join(', ')}
   FROM ${gc} JOIN rates USING (segment) JOIN (
     SELECT h, e, s, "asConversion", "asRevenue", share FROM gk LEFT JOIN kinds USING (e) LEFT JOIN approvals USING (o, w, e)
   ) USING (h) GROUP BY ${by}`;
}

/** IDs are of a known alphabet, so that they can stand in a statement. */
const eventColumns = (id: string): string[] => [
  `sum(n) FILTER (WHERE e = '${id}' AND s IN (${counts})) AS "count ${id}"`,
  `sum(amount * rate * ${SHARE}) FILTER (WHERE e = '${id}' AND s IN (${counts})) AS "revenue ${id}"`,
  `sum(partner * rate) FILTER (WHERE e = '${id}' AND s IN (${counts})) AS "partner ${id}"`,
];

/** Rows whose last value, or the name of its record, has the text in it. */
function searched(of: Gathering, search: string): { where: string; values: string[] } {
  if (search === '') return { where: 'true', values: [] };
  const last = keyNames(of).at(-1)!;
  const ids = of.ground.idsNamed(of.keys.at(-1)!, search);
  const named = ids.map((_, i) => `$${i + 2}`).join(', ');
  return {
    where: `(contains(lower(g.${last}), lower($1))${ids.length === 0 ? '' : ` OR g.${last} IN (${named})`})`,
    values: [search, ...ids],
  };
}

const compareNames = new Intl.Collator('en', { numeric: true }).compare;
/** Names are compared as people do, which DuckDB cannot; the keys alone are few enough. */
async function byName(
  of: Gathering,
  { isDescending, offset, limit }: NumbersAsked,
  from: string,
  values: string[],
): Promise<Page> {
  const { connection } = of;
  const by = keyNames(of).join(', ');
  const reader = await connection.runAndReadAll(`SELECT ${by} FROM ${from}`, values);
  const rows = inOrderOfNames(
    of,
    (reader.getRowsJS() as string[][]).map((values) => ({ values })),
    isDescending,
  ).map(({ values }) => values);
  await writePage(of, rows.slice(0, offset + limit), offset);
  return { count: rows.length, rows: rows.slice(offset, offset + limit) };
}

/** Rows by the names of their values, from the first one on. */
export function inOrderOfNames<R extends { values: readonly string[] }>(
  { keys, ground }: Pick<Gathering, 'keys' | 'ground'>,
  rows: readonly R[],
  isDescending: boolean,
): R[] {
  const named = rows.map((row) => ({
    row,
    names: row.values.map((value, i) => ground.nameOf(keys[i]!, value)),
  }));
  named.sort((a, b) => {
    for (const [i, name] of a.names.entries()) {
      const order = compareNames(name, b.names[i]!);
      if (order !== 0) return isDescending ? -order : order;
    }
    return 0;
  });
  return named.map(({ row }) => row);
}

/** Makes `page` of the rows up to the end of the page, in their order. */
export async function writePage(
  of: Gathering,
  rows: readonly (readonly string[])[],
  offset: number,
): Promise<void> {
  const columns = keyNames(of).map((k) => `${k} VARCHAR`);
  await of.connection.run(`CREATE OR REPLACE TEMP TABLE page (nr INTEGER, ${columns.join(', ')})`);
  const appender = await of.connection.createAppender('page');
  rows.forEach((row, i) => {
    appender.appendInteger(i - offset);
    for (const value of row) appender.appendVarchar(value);
    appender.endRow();
  });
  appender.closeSync();
}
