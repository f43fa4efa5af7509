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
  { table, time }: ListColumns,
): Promise<void> {
  if (q.from === '' && q.to === '' && q.where === '') return;
  const { rows } = await pool.query<{ zone: string }>('SELECT zone FROM desks WHERE id = $1', [q.deskId]);
  const zone = rows[0]?.zone ?? 'UTC';
  if (q.from !== '') conditions.add(`${time} >= ?`, new Date(dayStart(q.from, zone)));
  if (q.to !== '') conditions.add(`${time} < ?`, new Date(dayStart(shiftDay(q.to, 1), zone)));
  for (const filter of readWhere(q.where)) narrow(conditions, filter, `${table}.`, local(time, zone));
}

function narrow(conditions: Conditions, { by, is, values }: ValueFilter, prefix: string, at: string): void {
  const grouping = groupingOf(by)!;
  // Names of sub-IDs are values like any other: they are bound.
  const name = grouping.kind === 'sub' ? `$${conditions.values.push(grouping.sub)}` : '';
  const column =
    grouping.kind === 'sub'
      ? `coalesce(${prefix}subs->>${name}::text, '')`
      : grouping.kind === 'time'
        ? times[grouping.time](at)
        : `${prefix}${grouping.dimension.name}`;
  if (is === 'contains')
    conditions.add(
      `${column} ILIKE ANY (?::text[])`,
      values.map((v) => like(v) || '%'),
    );
  else conditions.add(`${is === 'not' ? 'NOT ' : ''}(${column} = ANY (?::text[]))`, values);
}
