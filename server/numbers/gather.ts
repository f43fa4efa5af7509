/** Sums by the values that a question names, gathered into two temporary tables: `gv` of visits, `gc` of conversions. */
import type { DuckDBConnection } from '@duckdb/node-api';
import { LRUCache } from 'lru-cache';
import type { ValueFilter } from '@tracheon/core/contract';
import { timeValues, type Grouping, type RevenueBasis, type TimeGrouping } from '@tracheon/core/metrics';
import { rateOn } from '@tracheon/core/money';
import { dayStart, localDay } from '@tracheon/core/time';
import type { NumbersGround } from './ground.ts';
import type { DeskTables } from './indexFile.ts';
import { noMaturity } from './maturity.ts';

const QUARTER_MS = 900_000;
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
  /** Conversions from then on are left out; null: none. */
  knownUntilMs: number | null;
  basis: RevenueBasis;
  /** Time by which conversions are in a period, and in a day or hour of it. */
  conversionTime: 'visit_at' | 'converted_at';
}
export const keyNames = ({ keys }: Pick<Gathering, 'keys'>): string[] => keys.map((_, i) => `k${i}`);

/** A time in which one rate holds for a currency. */
export interface Segment {
  currency: string;
  /** In ms since 1970; the second is not in it. */
  from: number;
  to: number;
  /** null: no rate was known then. */
  nanos: bigint | null;
}
/** Of amounts in the currency of the answer. */
export const OWN_SEGMENT = -1;

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
  await connection.run(
    `CREATE TEMP TABLE quarters${suffix} (quarter INTEGER, ${times.map((t) => `${t} VARCHAR`).join(', ')})`,
  );
  const appender = await connection.createAppender(`quarters${suffix}`);
  for (const q of found) {
    appender.appendInteger(q);
    for (const time of times) appender.appendVarchar(known(q, ground.zone, time));
    appender.endRow();
  }
  appender.closeSync();
}

/** All between the first and the last one: finding out in which of them something happened takes longer than more of them do. */
async function quartersIn(
  connection: DuckDBConnection,
  fromMs: number,
  toMs: number,
  places: readonly (readonly [table: string, time: string])[],
): Promise<number[]> {
  const ends = places.map(
    ([table, time]) =>
      `SELECT min(${time}) AS first, max(${time}) AS last FROM ${table} WHERE ${time} >= ${fromMs} AND ${time} < ${toMs}`,
  );
  const reader = await connection.runAndReadAll(
    `SELECT min(first)::DOUBLE, max(last)::DOUBLE FROM (${ends.join(' UNION ALL ')})`,
  );
  const [[first, last]] = reader.getRowsJS() as [[number | null, number | null]];
  if (first === null || last === null) return [];
  const from = Math.floor(first / QUARTER_MS);
  return Array.from({ length: Math.floor(last / QUARTER_MS) - from + 1 }, (_, i) => from + i);
}

/** A year of quarters of a few zones; a calendar is asked once for each. */
const remembered = new LRUCache<string, Map<number, string>>({ max: 20 });
const MOST_QUARTERS = 40_000;
function known(quarter: number, zone: string, time: TimeGrouping): string {
  const key = `${zone}|${time}`;
  let of = remembered.get(key);
  if (!of || of.size > MOST_QUARTERS) remembered.set(key, (of = new Map()));
  let value = of.get(quarter);
  if (value === undefined) of.set(quarter, (value = timeValues(quarter, zone, [time])[0]!));
  return value;
}

const hasTimeFilters = ({ under, only }: Gathering): boolean =>
  [...under, ...only].some((u) => u.grouping.kind === 'time');

type Facts = 'visits' | 'conversions';
const columnOf = (tables: DeskTables, g: Grouping, facts: Facts): string => {
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

/**
 * `gv` has a row for each combination of values, segment, age and flags (see flagSums.ts). `segments` tell by which rate costs in
 * other currencies are converted.
 */
export async function gatherSums(
  of: Gathering,
  { fromMs, toMs, suffix }: Stretch,
  segments: readonly Segment[],
): Promise<void> {
  const { connection, tables, keys, isYoung, knownUntilMs, conversionTime } = of;
  const chosen = (facts: Facts): string =>
    keys.map((g, i) => `${columnOf(tables, g, facts)} AS k${i}`).join(', ');
  const narrow = { visits: narrowed(of, 'visits'), conversions: narrowed(of, 'conversions') };
  const hasTimes = timesOf(of).length > 0;
  const { visits, one, cost } = costSource(tables);
  const from = (table: string, time: string, facts: Facts): string =>
    `${table} v ${hasTimes ? `JOIN quarters${suffix} q ON q.quarter = v.${time} // ${QUARTER_MS}` : ''}
     WHERE ${[`v.${time} >= ${fromMs} AND v.${time} < ${toMs}`, ...narrow[facts].where].join(' AND ')}`;
  const known = knownUntilMs === null ? '' : `AND v.converted_at < ${knownUntilMs}`;
  const by = keyNames(of).join(', ');
  // Which source they are of is only asked for verdicts; told apart, it takes a third of the time of the least and the greatest.
  const source = of.isYoung === noMaturity ? `''` : 'v.source_id';
  const sums = `${segmentOf(segments, cost.currency)} AS segment, ${isYoung} AS young, v.flags AS f, ${source} AS source, ${one} AS n,
    ${cost.priced} AS priced, coalesce(sum(${cost.micros}), 0) AS cost`;
  const isByTimeAlone = keys.every((g) => g.kind === 'time') && !hasTimeFilters(of);
  await connection.run(
    isByTimeAlone
      ? // By the quarter first: a number, of which there are few.
        `CREATE TEMP TABLE gv${suffix} AS SELECT ${chosen('visits')}, v.segment, v.young, v.f, sum(v.n) AS n, sum(v.priced) AS priced,
           sum(v.cost) AS cost, v.source AS s1, v.source AS s2
         FROM (SELECT (v.visit_at // ${QUARTER_MS})::INTEGER AS quarter, ${sums}
           FROM ${visits} v WHERE ${[`v.visit_at >= ${fromMs} AND v.visit_at < ${toMs}`, ...narrow.visits.where].join(' AND ')}
           GROUP BY quarter, segment, young, f, source) v JOIN quarters${suffix} q USING (quarter)
         GROUP BY ${by}, v.segment, v.young, v.f, v.source`
      : `CREATE TEMP TABLE gv${suffix} AS SELECT ${chosen('visits')}, ${sums}, source AS s1, source AS s2
         FROM ${from(visits, 'visit_at', 'visits')} GROUP BY ${by}, segment, young, f, source`,
    narrow.visits.values,
  );
  await connection.run(
    `CREATE TEMP TABLE gc${suffix} AS SELECT ${chosen('conversions')}, ${segmentOfBase(of, segments)} AS segment, ${isYoung} AS young, v.offer_id AS o, v.network_id AS w, v.event_type_id AS e,
       v.status AS s, v.currency AS c, count(*) AS n, coalesce(sum(base_micros), 0) AS amount,
       coalesce(sum(base_micros) FILTER (WHERE is_estimate), 0) AS estimated,
       coalesce(sum(payout_micros) FILTER (WHERE base_micros IS NULL), 0) AS waiting, coalesce(sum(partner_micros), 0) AS partner
     FROM ${from(tables.conversions, conversionTime, 'conversions')} ${known} GROUP BY ${by}, segment, young, o, w, e, s, c`,
    narrow.conversions.values,
  );
}

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
export async function addFormerKeys(of: Gathering): Promise<void> {
  const by = keyNames(of).join(', ');
  await of.connection.run(
    `INSERT INTO gv (${by}, segment, young, f, n, priced, cost, s1, s2)
     SELECT ${by}, ${OWN_SEGMENT}, false, 0, 0, 0, 0, '', ''
     FROM ((SELECT ${by} FROM gv_before UNION SELECT ${by} FROM gc_before)
       EXCEPT (SELECT ${by} FROM gv UNION SELECT ${by} FROM gc))`,
  );
}

const segmentOf = (segments: readonly Segment[], currency: string): string =>
  segments.length === 0
    ? String(OWN_SEGMENT)
    : `CASE ${segments
        .map(
          (s, i) =>
            `WHEN ${currency} = '${s.currency.replaceAll("'", "''")}' AND v.visit_at >= ${s.from} AND v.visit_at < ${s.to} THEN ${i}`,
        )
        .join(' ')} ELSE ${OWN_SEGMENT} END`;

/** Conversions are booked in the desk's currency, and converted by the rate of their own day. */
function segmentOfBase({ ground }: Gathering, segments: readonly Segment[]): string {
  if (ground.currency === ground.deskCurrency) return String(OWN_SEGMENT);
  const cases = segments.flatMap((s, i) =>
    s.currency === ground.deskCurrency
      ? [`WHEN v.converted_at >= ${s.from} AND v.converted_at < ${s.to} THEN ${i}`]
      : [],
  );
  return `CASE ${cases.join(' ')} END`;
}

/** A conversion may tell a time before that of its visit. */
const KEPT_BEFORE_MS = 30 * 86_400_000;
const EVER = 8_640_000_000_000_000;
/** Amounts in other currencies are gathered by the rate that holds for them, and converted as sums. */
export async function rateSegments(
  { connection, tables, ground }: Gathering,
  fromMs: number,
): Promise<Segment[]> {
  const { rates, currency, zone } = ground;
  const ofCosts = await onceWritten(tables, 'currencies', () => costCurrencies(connection, tables));
  const foreign = [...new Set([...ofCosts, ground.deskCurrency])].filter((c) => c !== currency);
  return foreign.flatMap((of) => {
    const days = [
      ...new Set(rates.filter((r) => r.base === of || r.base === currency).map((r) => r.day)),
    ].sort();
    const starts = [-EVER, ...days.map((d) => dayStart(d, zone))];
    const all = starts.map((from, i) => ({
      currency: of,
      from,
      to: starts[i + 1] ?? EVER,
      nanos: i === 0 ? null : rateOn(rates, of, currency, localDay(from, zone)),
    }));
    // Rates of long ago concern nobody. The first that is kept holds for whatever lies before it.
    const kept = all.filter((s) => s.to > fromMs - KEPT_BEFORE_MS);
    return kept.map((s, i) => (i === 0 ? { ...s, from: -EVER } : s));
  });
}

async function costCurrencies(connection: DuckDBConnection, tables: DeskTables): Promise<string[]> {
  const of = (table: string, which: 'cost' | 'set'): string =>
    `SELECT DISTINCT ${which}_currency FROM ${table} WHERE ${which}_micros IS NOT NULL`;
  const set = [of(tables.visits, 'set'), of(tables.extras, 'set')];
  const reader = await connection.runAndReadAll(
    [of(tables.visits, 'cost'), ...(tables.hasSetCosts ? set : [])].join(' UNION '),
  );
  return (reader.getRowsJS() as [string][]).map(([c]) => c);
}

/** Found once for all questions until something is written to the desk. */
export async function onceWritten<T>(tables: DeskTables, name: string, find: () => Promise<T>): Promise<T> {
  // What is written meanwhile has a memory of its own.
  const { found } = tables;
  if (!found.has(name)) found.set(name, await find());
  return found.get(name) as T;
}
