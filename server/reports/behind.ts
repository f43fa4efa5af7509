/** Lists narrowed as a row of Numbers is: by a period in the desk's zone, and by values of visits. */
import type { Pool } from 'pg';
import { readWhere, type ValueFilter } from '@tracheon/core/contract';
import { groupingOf, type TimeGrouping } from '@tracheon/core/metrics';
import { dayStart, shiftDay } from '@tracheon/core/time';
import { like, type Conditions } from './listPage.ts';

export interface Behind {
  deskId: string;
  from: string;
  to: string;
  where: string;
}
/** Where a list has its columns: before their names, and the time by which it is in a period. */
interface ListColumns {
  table: string;
  time: string;
  /** Conversions have extras; visits have none. */
  hasExtras: boolean;
}

const local = (time: string, zone: string): string =>
  `(${time} AT TIME ZONE '${zone.replaceAll("'", "''")}')`;
/** As core computes them (`timeGroupings`), by PostgreSQL's calendar. */
const times: Record<TimeGrouping, (at: string) => string> = {
  day: (at) => `${at}::date::text`,
  week: (at) => `date_trunc('week', ${at})::date::text`,
  month: (at) => `to_char(${at}, 'YYYY-MM')`,
  hour: (at) => `to_char(${at}, 'HH24')`,
  weekday: (at) => `extract(isodow FROM ${at})::int::text`,
};

export async function narrowBehind(
  pool: Pool,
  conditions: Conditions,
  q: Behind,
  { table, time, hasExtras }: ListColumns,
): Promise<void> {
  if (q.from === '' && q.to === '' && q.where === '') return;
  const { rows } = await pool.query<{ zone: string }>('SELECT zone FROM desks WHERE id = $1', [q.deskId]);
  const zone = rows[0]?.zone ?? 'UTC';
  if (q.from !== '') conditions.add(`${time} >= ?`, new Date(dayStart(q.from, zone)));
  if (q.to !== '') conditions.add(`${time} < ?`, new Date(dayStart(shiftDay(q.to, 1), zone)));
  for (const filter of readWhere(q.where))
    narrow(conditions, filter, { prefix: `${table}.`, at: local(time, zone), hasExtras });
}

interface Narrowed {
  prefix: string;
  at: string;
  hasExtras: boolean;
}

function columnOf(conditions: Conditions, by: string, { prefix, at, hasExtras }: Narrowed): string {
  const grouping = groupingOf(by)!;
  // Names of sub-IDs and extras are values like any other: they are bound.
  const named = (column: string, name: string): string =>
    `coalesce(${prefix}${column}->>$${conditions.values.push(name)}::text, '')`;
  switch (grouping.kind) {
    case 'sub':
      return named('subs', grouping.sub);
    case 'extra':
      return hasExtras ? named('extras', grouping.extra) : `''`;
    case 'time':
      return times[grouping.time](at);
    case 'column':
      return `${prefix}${grouping.dimension.name}`;
  }
}

function narrow(conditions: Conditions, { by, is, values }: ValueFilter, of: Narrowed): void {
  const column = columnOf(conditions, by, of);
  if (is === 'contains')
    conditions.add(
      `${column} ILIKE ANY (?::text[])`,
      values.map((v) => like(v) || '%'),
    );
  else conditions.add(`${is === 'not' ? 'NOT ' : ''}(${column} = ANY (?::text[]))`, values);
}
