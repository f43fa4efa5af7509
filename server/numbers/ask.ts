/**
 * Questions, answered from the index: sums for each combination of values, made into figures by the same code as everywhere.
 * Nothing of a question but numbers, known columns and bound values reaches the statement.
 */
import type { DuckDBConnection } from '@duckdb/node-api';
import type { ConversionStatus, Figures, NumbersAnswer, NumbersAsked } from '@tracheon/core/contract';
import {
  addSums,
  figures,
  groupingOf,
  type FigureName,
  noVisits,
  timeValues,
  type Grouping,
  type Sums,
  type TimeGrouping,
} from '@tracheon/core/metrics';
import { convert, rateOn, type Rate } from '@tracheon/core/money';
import { dayStart, localDay, shiftDay } from '@tracheon/core/time';
import type { NumbersGround } from './ground.ts';
import type { DeskTables } from './indexFile.ts';

const QUARTER_MS = 900_000;
const COUNTED = 'NOT is_bot AND NOT is_repeat AND NOT is_test';

/** Answers from a connection of its own, which the caller may interrupt. */
export async function answer(
  connection: DuckDBConnection,
  tables: DeskTables | undefined,
  ground: NumbersGround,
  asked: NumbersAsked,
): Promise<Omit<NumbersAnswer, 'fedAt'>> {
  const keys = asked.by.map((name) => groupingOf(name)!);
  const groups = tables ? await sumsBy(connection, tables, ground, asked, keys) : new Map<string, Group>();
  const rows = [...groups.values()].map(({ values, sums }) => ({
    values,
    names: values.map((value, i) => ground.nameOf(keys[i]!, value)),
    figures: figures(sums, ground.approval),
  }));
  const wanted = asked.search.toLowerCase();
  const found =
    wanted === ''
      ? rows
      : rows.filter((r) => [r.values.at(-1)!, r.names.at(-1)!].some((t) => t.toLowerCase().includes(wanted)));
  found.sort(orderOf(asked));
  return {
    zone: ground.zone,
    currency: ground.currency,
    rows: found.slice(asked.offset, asked.offset + asked.limit),
    count: found.length,
    total: figures(addSums([...groups.values()].map((g) => g.sums)), ground.approval),
    subs: tables ? [...tables.subs.keys()].sort() : [],
  };
}

interface Row {
  names: string[];
  figures: Figures;
}
const compareNames = new Intl.Collator('en', { numeric: true }).compare;
/** What is empty comes last, whichever way; of equals the one that is named first. */
function orderOf({ sort, isDescending }: NumbersAsked): (a: Row, b: Row) => number {
  const by = (a: Row, b: Row): number => {
    for (const [i, name] of a.names.entries()) {
      const order = compareNames(name, b.names[i]!);
      if (order !== 0) return order;
    }
    return 0;
  };
  if (sort === '') return (a, b) => (isDescending ? -by(a, b) : by(a, b));
  const value = (r: Row): number | null => {
    const v = r.figures[sort as FigureName];
    return v === null ? null : Number(v);
  };
  return (a, b) => {
    const [x, y] = [value(a), value(b)];
    if (x === y) return by(a, b);
    if (x === null) return 1;
    if (y === null) return -1;
    return isDescending ? y - x : x - y;
  };
}

interface Group {
  values: string[];
  sums: Sums;
}

/** Parts of the statements for visits and conversions alike. */
interface Statement {
  keys: string[];
  join: string;
  where: string;
  values: string[];
}

async function sumsBy(
  connection: DuckDBConnection,
  tables: DeskTables,
  ground: NumbersGround,
  asked: NumbersAsked,
  keys: readonly Grouping[],
): Promise<Map<string, Group>> {
  const span = [dayStart(asked.from, ground.zone), dayStart(shiftDay(asked.to, 1), ground.zone)] as const;
  const under = asked.under.map((u) => ({ grouping: groupingOf(u.by)!, value: u.value }));
  const times = [
    ...new Set(
      [...keys, ...under.map((u) => u.grouping)].flatMap((g) => (g.kind === 'time' ? [g.time] : [])),
    ),
  ];
  if (times.length > 0) await makeQuarters(connection, tables, span, ground.zone, times);
  const groups = new Map<string, Group>();
  const at = (values: string[]): Sums => {
    const key = JSON.stringify(values);
    const found = groups.get(key) ?? {
      values,
      sums: { visits: { ...noVisits }, conversions: [], unconverted: [] },
    };
    groups.set(key, found);
    return found.sums;
  };
  const statement = statementOf(tables, keys, under, span, times.length > 0);
  await addVisits(connection, tables, ground, statement, at);
  await addConversions(connection, tables, ground, statement, at);
  return groups;
}

const columnOf = (tables: DeskTables, g: Grouping): string => {
  if (g.kind === 'column') return `v.${g.dimension.name}`;
  if (g.kind === 'time') return `q.${g.time}`;
  const column = tables.subs.get(g.sub);
  return column === undefined ? `''` : `coalesce(v.${column}, '')`;
};

function statementOf(
  tables: DeskTables,
  keys: readonly Grouping[],
  under: readonly { grouping: Grouping; value: string }[],
  [from, to]: readonly [number, number],
  hasTimes: boolean,
): Statement {
  return {
    keys: keys.map((g, i) => `${columnOf(tables, g)} AS k${i}`),
    join: hasTimes ? `JOIN quarters q ON q.quarter = v.visit_at // ${QUARTER_MS}` : '',
    where: [
      `v.visit_at >= ${from} AND v.visit_at < ${to}`,
      ...under.map((u, i) => `${columnOf(tables, u.grouping)} = $${i + 1}`),
    ].join(' AND '),
    values: under.map((u) => u.value),
  };
}

/** Local times of the quarters of an hour in which something happened. */
async function makeQuarters(
  connection: DuckDBConnection,
  tables: DeskTables,
  [from, to]: readonly [number, number],
  zone: string,
  times: readonly TimeGrouping[],
): Promise<void> {
  const reader = await connection.runAndReadAll(
    `SELECT DISTINCT (visit_at // ${QUARTER_MS})::INTEGER AS q FROM ${tables.visits} WHERE visit_at >= ${from} AND visit_at < ${to}
     UNION SELECT DISTINCT (visit_at // ${QUARTER_MS})::INTEGER FROM ${tables.conversions} WHERE visit_at >= ${from} AND visit_at < ${to}`,
  );
  await connection.run(
    `CREATE TEMP TABLE quarters (quarter INTEGER, ${times.map((t) => `${t} VARCHAR`).join(', ')})`,
  );
  const appender = await connection.createAppender('quarters');
  for (const [q] of reader.getRowsJS() as [number][]) {
    appender.appendInteger(q);
    for (const value of timeValues(q, zone, times)) appender.appendVarchar(value);
    appender.endRow();
  }
  appender.closeSync();
}

type At = (values: string[]) => Sums;

/** Costs in other currencies are gathered by the rate that holds for them, and converted as sums. */
async function addVisits(
  connection: DuckDBConnection,
  { visits }: DeskTables,
  ground: NumbersGround,
  { keys, join, where, values }: Statement,
  at: At,
): Promise<void> {
  const currencies = await connection.runAndReadAll(
    `SELECT DISTINCT cost_currency FROM ${visits} WHERE cost_micros IS NOT NULL`,
  );
  const foreign = (currencies.getRowsJS() as [string][]).map(([c]) => c).filter((c) => c !== ground.currency);
  const segments = rateSegments(ground, foreign);
  const segment =
    foreign.length === 0
      ? '-1'
      : `CASE ${segments
          .map(
            (s, i) =>
              `WHEN v.cost_currency = '${s.currency}' AND v.visit_at >= ${s.from} AND v.visit_at < ${s.to} THEN ${i}`,
          )
          .join(' ')} ELSE -1 END`;
  const n = keys.length;
  const reader = await connection.runAndReadAll(
    `SELECT ${keys.join(', ')}, ${segment} AS segment,
       count(*) FILTER (WHERE ${COUNTED})::DOUBLE, count(*) FILTER (WHERE ${COUNTED} AND is_unique)::DOUBLE,
       count(*) FILTER (WHERE is_bot AND NOT is_test)::DOUBLE, count(*) FILTER (WHERE is_repeat AND NOT is_bot AND NOT is_test)::DOUBLE,
       count(*) FILTER (WHERE is_test)::DOUBLE, count(*) FILTER (WHERE ${COUNTED} AND v.landing_id <> '')::DOUBLE,
       count(*) FILTER (WHERE ${COUNTED} AND v.landing_id <> '' AND is_clicked)::DOUBLE,
       count(*) FILTER (WHERE ${COUNTED} AND v.offer_id <> '' AND (v.landing_id = '' OR is_clicked))::DOUBLE,
       coalesce(sum(cost_micros) FILTER (WHERE NOT is_test), 0)::VARCHAR,
       coalesce(sum(cost_micros) FILTER (WHERE is_bot AND NOT is_test), 0)::VARCHAR,
       count(*) FILTER (WHERE ${COUNTED} AND cost_micros IS NULL)::DOUBLE
     FROM ${visits} v ${join} WHERE ${where} GROUP BY ${keys.map((_, i) => i + 1).join(', ')}, segment`,
    values,
  );
  for (const row of reader.getRowsJS() as (string | number)[][]) {
    const sums = at(row.slice(0, n) as string[]);
    const v = sums.visits;
    const [no, ...counts] = row.slice(n) as number[];
    const [all, unique, bots, repeats, tests, toPage, clicked, sent] = counts as number[];
    v.visits += all!;
    v.unique += unique!;
    v.bots += bots!;
    v.repeats += repeats!;
    v.tests += tests!;
    v.sentToPage += toPage!;
    v.buttonClicks += clicked!;
    v.sentToOffer += sent!;
    v.withoutCost += counts[10] as number;
    const [spent, botCost] = [BigInt(counts[8]!), BigInt(counts[9]!)];
    const { currency, nanos } = segments[no!] ?? { currency: ground.currency, nanos: ONE };
    if (nanos === null) sums.unconverted.push({ currency, spent, earned: 0n, onHold: 0n });
    else {
      v.spent += convert(spent, nanos);
      v.botCost += convert(botCost, nanos);
    }
  }
}
const ONE = 1_000_000_000n;

interface Segment {
  currency: string;
  /** In ms since 1970; the second is not in it. */
  from: number;
  to: number;
  /** null: no rate was known then. */
  nanos: bigint | null;
}
const EVER = 8_640_000_000_000_000;
function rateSegments({ rates, currency, zone }: NumbersGround, foreign: readonly string[]): Segment[] {
  return foreign.flatMap((of) => {
    const days = [
      ...new Set(rates.filter((r: Rate) => r.base === of || r.base === currency).map((r) => r.day)),
    ].sort();
    const starts = [-EVER, ...days.map((d) => dayStart(d, zone))];
    return starts.map((from, i) => ({
      currency: of,
      from,
      to: starts[i + 1] ?? EVER,
      nanos: i === 0 ? null : rateOn(rates, of, currency, localDay(from, zone)),
    }));
  });
}

async function addConversions(
  connection: DuckDBConnection,
  { conversions }: DeskTables,
  ground: NumbersGround,
  { keys, join, where, values }: Statement,
  at: At,
): Promise<void> {
  const n = keys.length;
  const reader = await connection.runAndReadAll(
    `SELECT ${keys.join(', ')}, v.offer_id AS o, v.network_id AS w, v.event_type_id AS e, v.status AS s, v.currency AS c,
       count(*)::DOUBLE, coalesce(sum(base_micros), 0)::VARCHAR,
       coalesce(sum(payout_micros) FILTER (WHERE base_micros IS NULL), 0)::VARCHAR
     FROM ${conversions} v ${join} WHERE ${where} GROUP BY ${keys.map((_, i) => i + 1).join(', ')}, o, w, e, s, c`,
    values,
  );
  for (const row of reader.getRowsJS() as (string | number)[][]) {
    const sums = at(row.slice(0, n) as string[]);
    const [offerId, networkId, eventTypeId, status, currency, count, amount, left] = row.slice(n) as string[];
    const type = ground.eventTypes.get(eventTypeId!) ?? { asConversion: false, asRevenue: false };
    sums.conversions.push({
      offerId: offerId!,
      networkId: networkId!,
      eventTypeId: eventTypeId!,
      status: status as ConversionStatus,
      countsAsConversion: type.asConversion,
      countsAsRevenue: type.asRevenue,
      count: Number(count),
      amount: BigInt(amount!),
    });
    const waiting = ground.unconvertedOf(status as ConversionStatus, BigInt(left!), type.asRevenue);
    if (waiting) sums.unconverted.push({ currency: currency!, spent: 0n, ...waiting });
  }
}
