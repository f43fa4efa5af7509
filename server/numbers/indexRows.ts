/** Facts as rows of the index, appended many at a time. */
import {
  BIGINT,
  BOOLEAN,
  DuckDBDataChunk,
  INTEGER,
  USMALLINT,
  VARCHAR,
  type DuckDBConnection,
  type DuckDBType,
  type DuckDBValue,
} from '@duckdb/node-api';
import { dimensions } from '@tracheon/core/metrics';
import type { ConversionFact, VisitFact, StepFact } from './facts.ts';
import { clickNumbers } from './clickNumbers.ts';
import type { DeskTables } from './indexFile.ts';
import { QUARTER_MS } from './quarters.ts';

/** Rows of one chunk. */
const CHUNK = 2048;

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
    [INTEGER, (r) => Math.floor(Math.round(r.at) / QUARTER_MS)],
    ...dimensionColumns<Row>(),
    [USMALLINT, (r) => r.flags],
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
    [BIGINT, (r) => big(r.partner_base_micros)],
    [BOOLEAN, (r) => r.is_estimate],
    ...namedColumns(tables),
  ]);
}

export function addSteps(
  feeding: DuckDBConnection,
  tables: DeskTables,
  facts: readonly StepFact[],
): Promise<void> {
  return appendRows<StepFact>(feeding, tables.steps, facts, [
    [BIGINT, (r) => BigInt(r.n)],
    [VARCHAR, (r) => r.id],
    [BIGINT, (r) => BigInt(Math.round(r.at))],
    [BOOLEAN, (r) => r.old !== null],
    [VARCHAR, (r) => r.old?.status ?? null],
    [VARCHAR, (r) => r.old?.currency ?? null],
    [BIGINT, (r) => big(r.old?.payoutMicros ?? null)],
    [BIGINT, (r) => big(r.old?.baseMicros ?? null)],
    [BIGINT, (r) => big(r.old?.partnerBaseMicros ?? null)],
    [BIGINT, (r) => (r.old ? BigInt(Date.parse(r.old.convertedAt)) : null)],
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

export async function append(
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
