/**
 * Feeds the index from PostgreSQL, in the order of transactions and each exactly once: what a step read and how far it came
 * are committed together. Later changes are taken as the facts stand by then, so that taking one twice changes nothing.
 */
import {
  BIGINT,
  DuckDBDataChunk,
  INTEGER,
  USMALLINT,
  VARCHAR,
  type DuckDBConnection,
  type DuckDBType,
  type DuckDBValue,
} from '@duckdb/node-api';
import type { Pool } from 'pg';
import { dimensions } from '@tracheon/core/metrics';
import { dimensionOf, personalFields, visitColumns } from '@tracheon/core/visits';
import {
  batchesIn,
  changesIn,
  clickedOf,
  conversionsById,
  nextSpan,
  visitsOf,
  type Change,
  type ConversionFact,
  type VisitFact,
} from './facts.ts';
import { changedStretches } from './costGround.ts';
import type { CostWatch } from './costWatch.ts';
import { noteUnsettled, stretchesOfCampaigns, together, unsettledBy, type Unsettled } from './unsettled.ts';
import { inTransaction } from './indexTransaction.ts';
import { clickNumbers, FLAGS, type DeskTables, type IndexFile, type Names } from './indexFile.ts';

/** Rows of one chunk. */
const CHUNK = 2048;

/** What a step took in: the desks that it is of, and whether more is waiting already. */
export interface Fed {
  deskIds: readonly string[];
  hasMore: boolean;
}
/** One step: the next transactions that are over. */
export async function feedStep(pool: Pool, index: IndexFile, costs: CostWatch): Promise<Fed> {
  const { cursor } = await index.meta();
  const span = await nextSpan(pool, BigInt(cursor!));
  if (!span) return { deskIds: [], hasMore: false };
  const [batches, changes] = [await batchesIn(pool, span), await changesIn(pool, span)];
  const deskIds = [...new Set([...batches, ...changes].map((b) => b.desk_id))];
  const news: DeskNews[] = [];
  for (const deskId of deskIds) {
    const own = batches.filter((b) => b.desk_id === deskId);
    news.push({
      deskId,
      visits: await visitsOf(
        pool,
        deskId,
        own.filter((b) => b.kind === 'visit'),
      ),
      clicked: await clickedOf(
        pool,
        deskId,
        own.filter((b) => b.kind === 'click'),
      ),
      ...(await changed(
        pool,
        index,
        deskId,
        changes.filter((c) => c.desk_id === deskId),
      )),
    });
  }
  const unsettled = await newlyUnsettled(pool, costs, news, changes);
  for (const n of news) await index.makeRoom(n.deskId, namesOf([...n.visits, ...n.conversions]));
  await inTransaction(index.feeding, async () => {
    for (const n of news) await take(index, n);
    await noteUnsettled(index, unsettled);
    await index.setMeta({ cursor: String(span.upTo), fedAt: new Date().toISOString() });
  });
  for (const n of news) await index.written(n.deskId);
  return { deskIds, hasMore: span.hasMore };
}

/** Costs that have to be settled again for what came. */
async function newlyUnsettled(
  pool: Pool,
  costs: CostWatch,
  news: readonly DeskNews[],
  changes: readonly Change[],
): Promise<Unsettled[]> {
  const all: Unsettled[] = [];
  for (const n of news) {
    const subjects = changes
      .filter((c) => c.kind === 'cost' && c.desk_id === n.deskId)
      .map((c) => c.subject_id);
    if (subjects.length > 0) costs.forget(n.deskId);
    const ground = await costs.groundOf(n.deskId);
    if (!ground) continue;
    const changed = [
      ...(await changedStretches(pool, n.deskId, subjects)),
      ...stretchesOfCampaigns(ground, subjects),
      ...unsettledBy(ground, n),
    ];
    all.push(...together(changed).map((s) => ({ deskId: n.deskId, ...s })));
  }
  return all;
}

interface DeskNews {
  deskId: string;
  visits: VisitFact[];
  /** Visits with a click on a button of their page. */
  clicked: string[];
  /** Visits that are no bots after all. */
  cleared: string[];
  /** Visits from which everything personal was taken. */
  erased: string[];
  /** Conversions that changed, by ID; those that are still there follow. */
  changed: string[];
  conversions: ConversionFact[];
}

async function changed(
  pool: Pool,
  index: IndexFile,
  deskId: string,
  changes: readonly Change[],
): Promise<Pick<DeskNews, 'cleared' | 'erased' | 'changed' | 'conversions'>> {
  const of = (kind: Change['kind']): string[] =>
    changes.filter((c) => c.kind === kind).map((c) => c.subject_id);
  const erased = of('erasure');
  const ids = [...new Set([...of('conversion'), ...(await conversionsOf(index, deskId, erased))])];
  return { cleared: of('bot_mark'), erased, changed: ids, conversions: await conversionsById(pool, ids) };
}

async function conversionsOf(
  index: IndexFile,
  deskId: string,
  clickIds: readonly string[],
): Promise<string[]> {
  const tables = index.tablesOf(deskId);
  if (!tables || clickIds.length === 0) return [];
  const rows = await index.rows<{ id: string }>(
    `SELECT id FROM ${tables.conversions} WHERE click_id IN (${clickIds.map((_, i) => `$${i + 1}`).join(', ')})`,
    [...clickIds],
  );
  return rows.map((r) => r.id);
}

export const namesOf = (
  facts: readonly { subs: Record<string, string>; extras?: Record<string, string> }[],
): Names => ({
  subs: new Set(facts.flatMap((f) => Object.keys(f.subs))),
  extras: new Set(facts.flatMap((f) => Object.keys(f.extras ?? {}))),
});

async function take(index: IndexFile, news: DeskNews): Promise<void> {
  const tables = index.tablesOf(news.deskId)!;
  const { feeding } = index;
  await addVisits(feeding, tables, news.visits);
  await change(feeding, tables, news.clicked, `flags = (flags | ${FLAGS.clicked})::USMALLINT`);
  await change(feeding, tables, news.cleared, `flags = (flags & ${ALL_FLAGS - FLAGS.bot})::USMALLINT`);
  const emptied = [
    ...personalFields.filter((f) => dimensionOf(f)).map((f) => `${visitColumns[f].name} = ''`),
    ...[...tables.subs.values()].map((column) => `${column} = NULL`),
  ];
  await change(feeding, tables, news.erased, emptied.join(', '));
  if (news.changed.length > 0) {
    await feeding.run('CREATE OR REPLACE TEMP TABLE gone (id VARCHAR)');
    await append(feeding, 'gone', [VARCHAR], [news.changed]);
    await feeding.run(`DELETE FROM ${tables.conversions} WHERE id IN (SELECT id FROM gone)`);
  }
  await addConversions(feeding, tables, news.conversions);
}

/** Visits by their click IDs. The time in them tells where to look. */
async function change(
  feeding: DuckDBConnection,
  { visits }: DeskTables,
  clickIds: readonly string[],
  set: string,
): Promise<void> {
  if (clickIds.length === 0) return;
  const numbers = clickIds.map(clickNumbers);
  await feeding.run('CREATE OR REPLACE TEMP TABLE meant (ms BIGINT, a INTEGER, b INTEGER, c INTEGER)');
  await append(
    feeding,
    'meant',
    [BIGINT, INTEGER, INTEGER, INTEGER],
    [numbers.map((n) => BigInt(n[0])), ...([1, 2, 3] as const).map((i) => numbers.map((n) => n[i]))],
  );
  const times = numbers.map((n) => n[0]);
  const [first, last] = times.reduce(([a, b], t) => [Math.min(a, t), Math.max(b, t)], [Infinity, 0]);
  await feeding.run(
    `UPDATE ${visits} AS v SET ${set} FROM meant m
     WHERE v.id_ms BETWEEN ${first} AND ${last} AND v.id_ms = m.ms AND v.id_a = m.a AND v.id_b = m.b AND v.id_c = m.c`,
  );
}

type Column<T> = [type: DuckDBType, value: (row: T) => DuckDBValue];
const big = (value: unknown): bigint | null => (value === null ? null : BigInt(value as string | number));
const text = (value: unknown): string => value as string;
const dimensionColumns = <T extends Record<string, unknown>>(): Column<T>[] =>
  dimensions.map((d) => [VARCHAR, (row) => text(row[d.name])]);
/** A sub-ID that the visit does not have is no value. */
const subColumns = <T extends { subs: Record<string, string> }>(tables: DeskTables): Column<T>[] =>
  [...tables.subs.keys()].map((name) => [VARCHAR, (row) => row.subs[name] ?? null]);

/** Of conversions: sub-IDs and extras, in the order in which they were named first. */
function namedColumns({ subs, conversionExtras }: DeskTables): Column<ConversionFact>[] {
  const all = [
    ...[...subs].map(([name, column]) => ({ name, column, of: 'subs' as const })),
    ...[...conversionExtras].map(([name, column]) => ({ name, column, of: 'extras' as const })),
  ];
  return all
    .sort((a, b) => Number(a.column.slice(1)) - Number(b.column.slice(1)))
    .map(({ name, of }) => [VARCHAR, (row) => row[of][name] ?? null]);
}

const flagNames = Object.keys(FLAGS) as (keyof typeof FLAGS)[];
const ALL_FLAGS = flagNames.reduce((sum, f) => sum + FLAGS[f], 0);
function flagsOf(v: VisitFact): number {
  const is: Record<keyof typeof FLAGS, boolean> = {
    bot: v.is_bot,
    repeat: v.is_repeat,
    test: v.is_test,
    unique: v.is_unique,
    clicked: v.is_clicked,
    page: v.landing_id !== '',
    offer: v.offer_id !== '',
    link: v.is_link && v.cost_micros !== null,
    // Those are set when costs are settled.
    feed: false,
    file: false,
  };
  return flagNames.reduce((sum, f) => sum + (is[f] ? FLAGS[f] : 0), 0);
}

export function addVisits(
  feeding: DuckDBConnection,
  tables: DeskTables,
  facts: readonly VisitFact[],
): Promise<void> {
  const ids = facts.map((f) => clickNumbers(f.id));
  const rows = facts.map((fact, i) => ({ ...fact, numbers: ids[i]! }));
  type Row = (typeof rows)[number];
  const part = (i: 1 | 2 | 3): Column<Row> => [INTEGER, (r) => r.numbers[i]];
  return appendRows<Row>(feeding, tables.visits, rows, [
    [BIGINT, (r) => BigInt(r.numbers[0])],
    part(1),
    part(2),
    part(3),
    [BIGINT, (r) => BigInt(Math.round(r.at))],
    ...dimensionColumns<Row>(),
    [USMALLINT, flagsOf],
    [BIGINT, (r) => big(r.cost_micros)],
    [VARCHAR, (r) => r.cost_currency],
    [BIGINT, () => null],
    [VARCHAR, () => null],
    ...subColumns<Row>(tables),
  ]);
}

export function addConversions(
  feeding: DuckDBConnection,
  tables: DeskTables,
  facts: readonly ConversionFact[],
): Promise<void> {
  return appendRows<ConversionFact>(feeding, tables.conversions, facts, [
    [VARCHAR, (r) => r.id],
    [BIGINT, (r) => BigInt(Math.round(r.visit_at))],
    [BIGINT, (r) => BigInt(Math.round(r.converted_at))],
    [VARCHAR, (r) => r.click_id],
    ...dimensionColumns<ConversionFact>(),
    [VARCHAR, (r) => r.event_type_id],
    [VARCHAR, (r) => r.status],
    [VARCHAR, (r) => r.currency],
    [BIGINT, (r) => big(r.payout_micros)],
    [BIGINT, (r) => big(r.base_micros)],
    ...namedColumns(tables),
  ]);
}

const appendRows = async <T>(
  feeding: DuckDBConnection,
  table: string,
  rows: readonly T[],
  columns: readonly Column<T>[],
): Promise<void> => {
  if (rows.length === 0) return;
  await append(
    feeding,
    table,
    columns.map(([type]) => type),
    columns.map(([, value]) => rows.map(value)),
  );
};

async function append(
  feeding: DuckDBConnection,
  table: string,
  types: DuckDBType[],
  columns: readonly (readonly DuckDBValue[])[],
): Promise<void> {
  const appender = await feeding.createAppender(table);
  const count = columns[0]!.length;
  for (let at = 0; at < count; at += CHUNK) {
    const chunk = DuckDBDataChunk.create(types);
    chunk.setColumns(columns.map((values) => values.slice(at, at + CHUNK)));
    appender.appendDataChunk(chunk);
  }
  appender.closeSync();
}
