/**
 * Pages of a list by keyset: a page begins after the last row of the one before, by the value that is sorted by and
 * the ID, so that rows which come in meanwhile move nothing. The cursor is opaque to who asks; a value that was not
 * given out by a list is refused as input.
 */
import type { EndpointName, Page, ParsedQuery } from '@tracheon/core/contract';
import { Problem } from '../problems/problem.ts';

type SortType = 'text' | 'bigint' | 'timestamptz';
/** An SQL expression that is never null, and its type. */
export type SortColumns = Record<string, [sql: string, type: SortType]>;
/** How the database writes a value of this type; another one is no cursor of ours. */
const written: Record<SortType, RegExp> = {
  text: /^[^\0]*$/,
  bigint: /^-?\d{1,19}$/,
  timestamptz: /^\d{4}-\d\d-\d\d \d\d:\d\d:\d\d(\.\d{1,6})?[+-]\d\d(:\d\d)?$/,
};
/** What a list is asked with, and whose it is. */
export type ListQuestion<Name extends EndpointName> = ParsedQuery<Name> & { deskId: string };

export interface ListBasics {
  deskId: string;
  search: string;
  cursor: string;
  limit: number;
  /** Name of a sort column; with `-` before it descending. */
  sort: string;
}
/** What a row is read with for its cursor, and no answer shows. */
export interface SortedRow {
  id: string;
  sortValue: string;
}

/** The sort, its value in the last row, and that row's ID. */
type Cursor = [sort: string, value: string, id: string];
const encode = (cursor: Cursor): string => Buffer.from(JSON.stringify(cursor)).toString('base64url');

function decode(q: ListBasics, type: SortType): Cursor | null {
  if (q.cursor === '') return null;
  try {
    const read = JSON.parse(Buffer.from(q.cursor, 'base64url').toString('utf8')) as unknown[];
    const [sort, value, id] = read as Cursor;
    const isOurs = read.length === 3 && read.every((part) => typeof part === 'string');
    if (isOurs && sort === q.sort && written[type].test(value) && written.text.test(id))
      return [sort, value, id];
  } catch {
    // Said below.
  }
  throw new Problem('invalid_input', {
    fields: [{ path: 'cursor', message: 'Use `next` of the page before, with the same sort.' }],
  });
}

/** The ID after which the page begins; empty for the first page. */
export const beginsAfter = (q: ListBasics, type: SortType): string => decode(q, type)?.[2] ?? '';

/** Parameters of a statement, numbered as they are added. */
export class Conditions {
  readonly values: unknown[] = [];
  private readonly all: string[] = [];
  /** `?` stands for the value, wherever it appears. */
  add(sql: string, value: unknown): this {
    this.values.push(value);
    this.all.push(sql.replaceAll('?', `$${this.values.length}`));
    return this;
  }
  /** Only where there is a value to narrow by. */
  narrow(sql: string, value: string): this {
    return value === '' ? this : this.add(sql, value);
  }
  always(sql: string): this {
    this.all.push(sql);
    return this;
  }
  toString(): string {
    return this.all.map((c) => `(${c})`).join(' AND ');
  }
}
/** Where a text is found anywhere, in any case. */
export const like = (text: string): string => (text === '' ? '' : `%${text.replace(/[\\%_]/g, '\\$&')}%`);

/**
 * One page: `select` names its columns without `SELECT`, `from` its tables; `id` is the column of the row's ID. One row
 * more than asked for is read, to know whether there are more.
 */
export function pageQuery(
  q: ListBasics,
  sorts: SortColumns,
  statement: { select: string; from: string; id: string; where: Conditions },
): { text: string; values: unknown[] } {
  const down = q.sort.startsWith('-');
  const [sql, type] = sorts[q.sort.replace(/^-/, '')]!;
  const after = decode(q, type);
  const { where, id } = statement;
  if (after) {
    const value = where.values.push(after[1]);
    const last = where.values.push(after[2]);
    where.always(`(${sql}, ${id}) ${down ? '<' : '>'} ($${value}::text::${type}, $${last})`);
  }
  const direction = down ? 'DESC' : 'ASC';
  return {
    text: `SELECT ${statement.select}, ${id} AS id, (${sql})::text AS "sortValue" FROM ${statement.from}
      WHERE ${where} ORDER BY ${sql} ${direction}, ${id} ${direction} LIMIT ${q.limit + 1}`,
    values: where.values,
  };
}

export function pageOf<S extends SortedRow, R extends { id: string }>(
  rows: S[],
  { limit, sort }: ListBasics,
  shape: (row: Omit<S, 'sortValue'>) => R,
): Page<R> {
  const shown = rows.slice(0, limit);
  const last = shown.at(-1);
  return {
    rows: shown.map(({ sortValue: _, ...row }) => shape(row)),
    next: rows.length > limit && last ? encode([sort, last.sortValue, last.id]) : null,
  };
}
