/**
 * Questions, answered from the index. DuckDB gathers sums for each combination of values into a table of its own, and says
 * which rows the page has; only their sums, and those of all, are read, exactly, and made into figures by the same code as
 * everywhere. Nothing of a question but numbers, known columns and bound values reaches a statement.
 */
import type { DuckDBConnection } from '@duckdb/node-api';
import type { NumbersAnswer, NumbersAsked } from '@tracheon/core/contract';
import { figures, groupingOf, type ApprovalRate, type Grouping, type Sums } from '@tracheon/core/metrics';
import { dayStart, shiftDay } from '@tracheon/core/time';
import { gatherSums, makeQuarters, type Gathering } from './gather.ts';
import type { NumbersGround } from './ground.ts';
import type { DeskTables } from './indexFile.ts';
import { choosePage } from './page.ts';
import { loadApproval, noSums, pageSums, totalSums } from './sums.ts';

/** Answers from a connection of its own, which the caller may interrupt. */
export async function answer(
  connection: DuckDBConnection,
  tables: DeskTables | undefined,
  ground: NumbersGround,
  asked: NumbersAsked,
): Promise<Omit<NumbersAnswer, 'fedAt'>> {
  const keys = asked.by.map((name) => groupingOf(name)!);
  const found = tables && (await gathered(connection, tables, ground, asked, keys));
  const approval = found?.approval ?? (() => ({ basis: '', approved: 0, decided: 0 }));
  return {
    zone: ground.zone,
    currency: ground.currency,
    rows: (found?.rows ?? []).map(({ values, sums }) => ({
      values,
      names: values.map((value, i) => ground.nameOf(keys[i]!, value)),
      figures: figures(sums, approval),
    })),
    count: found?.count ?? 0,
    total: figures(found?.total ?? noSums(), approval),
    subs: tables ? [...tables.subs.keys()].sort() : [],
  };
}

interface Found {
  rows: { values: string[]; sums: Sums }[];
  count: number;
  total: Sums;
  approval: ApprovalRate;
}

async function gathered(
  connection: DuckDBConnection,
  tables: DeskTables,
  ground: NumbersGround,
  asked: NumbersAsked,
  keys: readonly Grouping[],
): Promise<Found> {
  const of: Gathering = {
    connection,
    tables,
    ground,
    keys,
    under: asked.under.map((u) => ({ grouping: groupingOf(u.by)!, value: u.value })),
    fromMs: dayStart(asked.from, ground.zone),
    toMs: dayStart(shiftDay(asked.to, 1), ground.zone),
  };
  await makeQuarters(of);
  const segments = await gatherSums(of);
  const approval = await loadApproval(of);
  const count = await choosePage(of, asked, segments, approval);
  return {
    rows: await pageSums(of, segments),
    count,
    total: await totalSums(of, segments),
    approval,
  };
}
