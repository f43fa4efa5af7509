/** Sums by the values that a question names, gathered into temporary tables: `gv` of visits, `gc` of conversions with their kinds in `gk`. */
import type { DuckDBConnection } from '@duckdb/node-api';
import type { ValueFilter } from '@tracheon/core/contract';
import type { Grouping, RevenueBasis, TimeGrouping } from '@tracheon/core/metrics';
import { dayStart, localDay, shiftDay } from '@tracheon/core/time';
import type { ConversionKind } from './gathered.ts';
import type { NumbersGround } from './ground.ts';
import type { DeskTables } from './indexFile.ts';
import { noMaturity } from './maturity.ts';
import { QUARTER_MS, quarterSql } from './quarters.ts';
import { quartersIn, writeQuarters } from './quarterTimes.ts';
import { OWN_SEGMENT, segmentOf, segmentOfBase, type Segment } from './rateSegments.ts';

/** A stretch of time, and what the names of its temporary tables end with. */
export interface Stretch {
  fromMs: number;
  /** Not in it. */
  toMs: number;
  suffix: '' | '_before';
}

export interface Gathering {
  connection: DuckDBConnection;
  tables: DeskTables;
  ground: NumbersGround;
  keys: readonly Grouping[];
  under: readonly { grouping: Grouping; value: string }[];
  only: readonly { grouping: Grouping; is: ValueFilter['is']; values: readonly string[] }[];
  /** Whether a visit of `v` is too young for a verdict, as SQL; without verdicts none is. */
  isYoung: string;
  /** Visits before then are not too young. */
  youngFromMs: number;
  /** Visits are gathered by their source as well, in a column `source`. */
  isBySource: boolean;
  /** Conversions from then on are left out; null: none. */
  knownUntilMs: number | null;
  basis: RevenueBasis;
  /** Time by which conversions are in a period, and in a day or hour of it. */
  conversionTime: 'visit_at' | 'converted_at';
  /** Up to so many gathered rows are finished in this process. */
  fewRows: number;
}
export const keyNames = ({ keys }: Pick<Gathering, 'keys'>): string[] => keys.map((_, i) => `k${i}`);

const timesOf = ({ keys, under, only }: Gathering): TimeGrouping[] => [
  ...new Set(
    [...keys, ...[...under, ...only].map((u) => u.grouping)].flatMap((g) =>
      g.kind === 'time' ? [g.time] : [],
    ),
  ),
];

/** Local times of the quarters of an hour of the stretch; only for questions that name one. */
export async function makeQuarters(of: Gathering, { fromMs, toMs, suffix }: Stretch): Promise<void> {
  const times = timesOf(of);
  if (times.length === 0) return;
  const { connection, tables, ground, conversionTime } = of;
  const found = await quartersIn(connection, fromMs, toMs, [
    [costSource(tables).visits, 'visit_at'],
    [tables.conversions, conversionTime],
  ]);
  await writeQuarters(connection, `quarters${suffix}`, { times, quarters: found, zone: ground.zone });
}

const hasTimeFilters = ({ under, only }: Gathering): boolean =>
  [...under, ...only].some((u) => u.grouping.kind === 'time');

type Facts = 'visits' | 'conversions';
export const columnOf = (tables: DeskTables, g: Grouping, facts: Facts): string => {
  if (g.kind === 'column') return `v.${g.dimension.name}`;
  if (g.kind === 'time') return `q.${g.time}`;
  if (g.kind === 'extra' && facts === 'visits') return `''`;
  const column = g.kind === 'sub' ? tables.subs.get(g.sub) : tables.conversionExtras.get(g.extra);
  return column === undefined ? `''` : `coalesce(v.${column}, '')`;
};

/** Conditions on `v`, and the values that they name. */
function narrowed(of: Gathering, facts: Facts): { where: string[]; values: string[] } {
  const values: string[] = [];
  const bound = (value: string): string => `$${values.push(value)}`;
  const under = of.under.map((u) => `${columnOf(of.tables, u.grouping, facts)} = ${bound(u.value)}`);
  const only = of.only.map(({ grouping, is, values: these }) => {
    const column = columnOf(of.tables, grouping, facts);
    if (is === 'contains')
      return `(${these.map((value) => `contains(lower(${column}), lower(${bound(value)}))`).join(' OR ')})`;
    return `${column} ${is === 'not' ? 'NOT IN' : 'IN'} (${these.map(bound).join(', ')})`;
  });
  return { where: [...under, ...only], values };
}

/** Visits with their costs, or conversions, of the stretch: those that the question is about, as `v`. */
export function factsIn(
  of: Gathering,
  { fromMs, toMs, suffix }: Stretch,
  facts: Facts,
): { from: string; where: string; values: string[] } {
  const { tables, knownUntilMs } = of;
  const [table, time] =
    facts === 'visits' ? [costSource(tables).visits, 'visit_at'] : [tables.conversions, of.conversionTime];
  const { where, values } = narrowed(of, facts);
  const quarter = facts === 'visits' ? 'v.quarter' : quarterSql(`v.${time}`);
  const isWhole = fromMs % QUARTER_MS === 0 && toMs % QUARTER_MS === 0;
  where.unshift(
    facts === 'visits' && isWhole
      ? `v.quarter >= ${fromMs / QUARTER_MS} AND v.quarter < ${toMs / QUARTER_MS}`
      : `v.${time} >= ${fromMs} AND v.${time} < ${toMs}`,
  );
  if (facts === 'conversions' && knownUntilMs !== null) where.push(`v.converted_at < ${knownUntilMs}`);
  const quarters = timesOf(of).length === 0 ? '' : `JOIN quarters${suffix} q ON q.quarter = ${quarter}`;
  return { from: `${table} v ${quarters}`, where: where.join(' AND '), values };
}

/**
 * `gv` has a row for each combination of values, segment, age and flags (see flagSums.ts), or several: of kept sums, and of the
 * days before and since. `segments` tell by which rate costs in other currencies are converted. Returns how many rows it has, and to which table
 * more may be added.
 */
export async function gatherVisits(
  of: Gathering,
  stretch: Stretch,
  segments: readonly Segment[],
): Promise<{ table: string; rows: number }> {
  const { connection } = of;
  const { suffix } = stretch;
  const kept = await keptPart(of, stretch, (part) =>
    visitSums({ ...of, isYoung: noMaturity }, part, segments),
  );
  const table = kept ? `gv_anew${suffix}` : `gv${suffix}`;
  const statements = (kept ? kept.around : [stretch]).map((part) => visitSums(of, part, segments));
  if (kept && statements.length === 0)
    statements.push({ sql: `SELECT * FROM ${kept.table} LIMIT 0`, values: [] });
  let rows = kept?.rows ?? 0;
  for (const [i, { sql, values }] of statements.entries()) {
    const into = i === 0 ? `CREATE TEMP TABLE ${table} AS` : `INSERT INTO ${table}`;
    const made = await connection.runAndReadAll(`${into} ${sql}`, values);
    rows += Number((made.getRowsJS() as [[bigint]])[0][0]);
  }
  if (kept)
    await connection.run(
      `CREATE TEMP VIEW gv${suffix} AS SELECT * FROM ${kept.table} UNION ALL SELECT * FROM ${table}`,
    );
  return { table, rows };
}

export interface KeptPart {
  table: string;
  rows: number;
  /** What of the stretch is not in it. */
  around: Stretch[];
}
/** From the first whole day of the desk on: where a stretch moves on with the time, the same one serves for a day. */
export async function keptPart(
  { connection, tables, ground, youngFromMs }: Gathering,
  stretch: Stretch,
  gathered: (part: Stretch) => { sql: string; values: string[] },
): Promise<KeptPart | null> {
  if (!tables.keptSums) return null;
  const { visits } = tables;
  const day = localDay(stretch.fromMs, ground.zone);
  const today = dayStart(day, ground.zone);
  const fromMs = today === stretch.fromMs ? today : dayStart(shiftDay(day, 1), ground.zone);
  const kept = await tables.keptSums.of({
    connection,
    visits,
    fromMs,
    toMs: stretch.toMs,
    youngFromMs,
    gathered: (untilMs) => gathered({ ...stretch, fromMs, toMs: untilMs }),
    ground: ground.zone,
  });
  return (
    kept && {
      ...kept,
      around: [
        { ...stretch, toMs: fromMs },
        { ...stretch, fromMs: kept.untilMs },
      ].filter((part) => part.fromMs < part.toMs),
    }
  );
}

const chosen = (of: Gathering, facts: Facts): string =>
  of.keys.map((g, i) => `${columnOf(of.tables, g, facts)} AS k${i}`).join(', ');

function visitSums(
  of: Gathering,
  stretch: Stretch,
  segments: readonly Segment[],
): { sql: string; values: string[] } {
  const { tables, keys, isYoung } = of;
  const by = keyNames(of).join(', ');
  const [source, bySource] = of.isBySource ? [', v.source_id AS source', ', source'] : ['', ''];
  const { visits, one, cost } = costSource(tables);
  const inIt = factsIn(of, stretch, 'visits');
  const kind = kindOf('v.flags', isYoung, segmentOf(segments, cost.currency));
  const sums = `${kind} AS kind, ${one} AS n, ${cost.priced} AS priced, coalesce(sum(${cost.micros}), 0) AS cost`;
  const isByTimeAlone = keys.every((g) => g.kind === 'time') && !hasTimeFilters(of);
  const gathered = isByTimeAlone
    ? // By the quarter first: a number, of which there are few.
      `SELECT ${chosen(of, 'visits')}, v.kind, sum(v.n) AS n, sum(v.priced) AS priced, sum(v.cost) AS cost
       FROM (SELECT v.quarter, ${sums}
         FROM ${visits} v WHERE ${inIt.where} GROUP BY v.quarter, kind) v JOIN quarters${stretch.suffix} q USING (quarter)
       GROUP BY ${by}, v.kind`
    : `SELECT ${chosen(of, 'visits')}${source}, ${sums} FROM ${inIt.from} WHERE ${inIt.where} GROUP BY ${by}${bySource}, kind`;
  return {
    sql: `SELECT ${by}${bySource}, ${SEGMENT_AND_AGE}, kind & ${YOUNG - 1} AS f, n, priced, cost FROM (${gathered})`,
    values: inIt.values,
  };
}

/** `gk` has the kinds that occur, `gc` sums by values and kind: a number to group by, where five texts take twice as long. */
export async function gatherConversions(
  of: Gathering,
  stretch: Stretch,
  segments: readonly Segment[],
): Promise<void> {
  const { suffix } = stretch;
  const by = keyNames(of).join(', ');
  const bought = factsIn(of, stretch, 'conversions');
  const age = kindOf('', of.isYoung, segmentOfBase(of, segments));
  const columns = Object.entries(CONVERSION_KIND);
  const kind = `hash(${columns.map(([, column]) => `v.${column}`).join(', ')}) AS h`;
  await of.connection.run(
    `CREATE TEMP TABLE gk${suffix} AS SELECT *, (row_number() OVER () - 1)::INTEGER AS number FROM (
       SELECT ${kind}, ${columns.map(([name, column]) => `any_value(v.${column}) AS ${name}`).join(', ')}
       FROM ${bought.from} WHERE ${bought.where} GROUP BY h)`,
    bought.values,
  );
  await of.connection.run(
    `CREATE TEMP TABLE gc${suffix} AS SELECT ${by}, ${SEGMENT_AND_AGE}, h, n, amount, estimated, waiting, partner
     FROM (SELECT ${chosen(of, 'conversions')}, ${age || '0'} AS kind, ${kind}, ${CONVERSION_AMOUNTS}
       FROM ${bought.from} WHERE ${bought.where} GROUP BY ${by}, ${age && 'kind, '}h)`,
    bought.values,
  );
}
/** Sums of conversions by values, segment, age and kind in one statement: quicker only where there are few. */
export function conversionSums(
  of: Gathering,
  stretch: Stretch,
  segments: readonly Segment[],
): { sql: string; values: string[] } {
  const { from, where, values } = factsIn(of, stretch, 'conversions');
  const kinds = Object.entries(CONVERSION_KIND);
  const by = [...keyNames(of), 'kind', ...kinds.map(([name]) => name)].join(', ');
  const age = kindOf('', of.isYoung, segmentOfBase(of, segments));
  const named = kinds.map(([name, column]) => `v.${column} AS ${name}`).join(', ');
  return {
    sql: `SELECT ${keyNames(of).join(', ')}, ${SEGMENT_AND_AGE}, ${kinds.map(([name]) => name).join(', ')},
        n::DOUBLE AS n, amount, estimated, waiting, partner
      FROM (SELECT ${chosen(of, 'conversions')}, ${age || '0'} AS kind, ${named}, ${CONVERSION_AMOUNTS}
        FROM ${from} WHERE ${where} GROUP BY ${by})`,
    values,
  };
}
const CONVERSION_AMOUNTS = `count(*) AS n, coalesce(sum(base_micros), 0) AS amount,
  coalesce(sum(base_micros) FILTER (WHERE is_estimate), 0) AS estimated,
  coalesce(sum(payout_micros) FILTER (WHERE base_micros IS NULL), 0) AS waiting, coalesce(sum(partner_micros), 0) AS partner`;
/** Columns of conversions, by their names in `gk`. */
const CONVERSION_KIND: Record<keyof ConversionKind, string> = {
  o: 'offer_id',
  w: 'network_id',
  e: 'event_type_id',
  s: 'status',
  c: 'currency',
};

/** Above all flags of a visit. */
const YOUNG = 2 ** 11;
const SEGMENT = 2 ** 12;
/**
 * Flags, age and segment as one number: each column more to group by costs as much as the first one, even where its value is the
 * same in all rows. Empty where there is nothing to tell apart.
 */
const kindOf = (flags: string, isYoung: string, segment: string): string =>
  [
    flags,
    isYoung === noMaturity ? '' : `CASE WHEN ${isYoung} THEN ${YOUNG} ELSE 0 END`,
    segment === String(OWN_SEGMENT) ? '' : `(${segment} - ${OWN_SEGMENT}) * ${SEGMENT}`,
  ]
    .filter((part) => part !== '')
    .join(' + ');
const SEGMENT_AND_AGE = `(kind // ${SEGMENT} + ${OWN_SEGMENT})::INTEGER AS segment, kind & ${YOUNG} <> 0 AS young`;

/** Where visits and their costs are read: as they stand, or, where some are set, with those and with costs of no visit. */
function costSource({ visits, extras, hasSetCosts, hasExtras }: DeskTables) {
  const own = { micros: 'v.cost_micros', currency: 'v.cost_currency', priced: 'count(v.cost_micros)' };
  if (!hasSetCosts) return { visits, one: 'count(*)', cost: own };
  const micros = 'coalesce(v.set_micros, v.cost_micros)';
  return {
    visits: hasExtras
      ? `(SELECT *, 1 AS one FROM ${visits} UNION ALL BY NAME SELECT *, 0 AS one FROM ${extras})`
      : visits,
    one: hasExtras ? 'sum(v.one)' : 'count(*)',
    cost: {
      micros,
      currency: 'CASE WHEN v.set_micros IS NULL THEN v.cost_currency ELSE v.set_currency END',
      priced: hasExtras ? `count(*) FILTER (WHERE v.one = 1 AND ${micros} IS NOT NULL)` : `count(${micros})`,
    },
  };
}

/** Values that only the other period has get rows as well, without anything in them: what is gone is a change, too. */
export async function addFormerKeys(of: Gathering, table: string): Promise<void> {
  const by = keyNames(of).join(', ');
  await of.connection.run(
    `INSERT INTO ${table} (${by}, segment, young, f, n, priced, cost)
     SELECT ${by}, ${OWN_SEGMENT}, false, 0, 0, 0, 0
     FROM ((SELECT ${by} FROM gv_before UNION SELECT ${by} FROM gc_before)
       EXCEPT (SELECT ${by} FROM gv UNION SELECT ${by} FROM gc))`,
  );
}
