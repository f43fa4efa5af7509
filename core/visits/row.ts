/** A visit between its three forms: the record, the columns of its table, and the JSON of the spool. */
import {
  unknownVisit,
  visitColumns,
  visitFields,
  type ColumnType,
  type StoredVisit,
  type VisitColumn,
  type VisitFate,
} from './columns.ts';

const toText: Record<ColumnType, (value: unknown) => string | null> = {
  text: (value) => value as string,
  int: (value) => String(value),
  bool: (value) => (value ? 't' : 'f'),
  time: (value) => new Date(value as number).toISOString(),
  micros: (value) => (value as bigint | null)?.toString() ?? null,
  json: (value) => JSON.stringify(value),
};
/** As the driver reads a column. */
const fromColumn: Record<ColumnType, (value: unknown) => unknown> = {
  text: (value) => value,
  int: (value) => value,
  bool: (value) => value,
  time: (value) => (value as Date).getTime(),
  micros: (value) => (value === null ? null : BigInt(value as string)),
  json: (value) => value,
};

/** Each column with its type in PostgreSQL and the text of its value. */
const sqlTypes: Record<ColumnType, string> = {
  text: 'text',
  int: 'int',
  bool: 'bool',
  time: 'timestamptz',
  micros: 'int8',
  json: 'jsonb',
};
export const writtenColumns: readonly [
  name: string,
  type: string,
  value: (visit: StoredVisit) => string | null,
][] = visitFields.map((field) => {
  const { name, type } = visitColumns[field] as VisitColumn<unknown>;
  const write = toText[type];
  return [name, sqlTypes[type], (visit: StoredVisit) => write(visit[field])];
});

const readers = visitFields.map((field) => {
  const { name, type } = visitColumns[field] as VisitColumn<unknown>;
  return { field, name, read: fromColumn[type] };
});
/** With all fields, and nothing in them. */
export const blankVisit: Readonly<Record<string, unknown>> = Object.fromEntries(
  visitFields.map((field) => [field, null]),
);

/**
 * A row of the table as the driver gives it, into a record that has all fields already: fields that are added one by one take longer, and so does
 * everybody who reads them.
 */
export function readVisitInto<V extends object>(
  visit: V,
  row: Readonly<Record<string, unknown>>,
): V & StoredVisit {
  const into = visit as Record<string, unknown>;
  for (const { field, name, read } of readers) into[field] = read(row[name]);
  return visit as V & StoredVisit;
}

/** JSON with money as text. */
export const encodeVisitRow = (visit: StoredVisit): string =>
  JSON.stringify({ ...visit, costMicros: visit.costMicros?.toString() ?? null });

/** Rows that older versions wrote know fewer fields, and told a visit's fate by its branch. */
export function decodeVisitRow<V extends StoredVisit>(json: string): V {
  const { branch, ...row } = JSON.parse(json) as Omit<V, 'costMicros'> & {
    costMicros: string | null;
    branch?: string;
  };
  return {
    ...unknownVisit,
    ...(branch === undefined ? {} : { branchId: 'otherwise', fate: fateOfBranch(branch) }),
    ...row,
    costMicros: row.costMicros === null ? null : BigInt(row.costMicros),
  } as unknown as V;
}

const fateOfBranch = (branch: string): VisitFate =>
  branch === 'paused' ? 'paused' : branch === 'fallback' ? 'offer_fallback' : 'sent';
