/** What a table is made of: its columns, and the layout in which a member keeps them. */
import type { TableLayout } from '@tracheon/core/contract';
import type { InjectionKey } from 'vue';

export interface Column<R> {
  key: string;
  /** In parentheses: read out, and not shown. */
  label: string;
  num?: boolean;
  /** Value to sort by; a column without one is not sorted. */
  sort?: (row: R) => string | number | bigint;
  /** Shown with the header on hover and focus. */
  explain?: string;
  /** Value in the CSV file, where it is another than the one to sort by. */
  csv?: (row: R) => string | number;
  /** Cannot be hidden. */
  fixed?: boolean;
  /** Hidden until the member chooses it. */
  optional?: boolean;
}

export interface TableLayouts {
  layoutOf: (table: string) => TableLayout;
  keep: (table: string, layout: TableLayout) => void;
}
/** The app provides where layouts are kept; a table without it starts afresh each time. */
export const tableLayoutsKey: InjectionKey<TableLayouts> = Symbol('table layouts');
export const noLayout = (): TableLayout => ({ order: [], hidden: [], pinned: [], widths: {} });

/** Columns in the member's order: those it names first, new ones where the program has them. */
export function inOrder<R>(columns: readonly Column<R>[], order: readonly string[]): Column<R>[] {
  const place = new Map(order.map((key, i) => [key, i]));
  const known = columns.filter((c) => place.has(c.key));
  known.sort((a, b) => place.get(a.key)! - place.get(b.key)!);
  let next = 0;
  return columns.map((c) => (place.has(c.key) ? known[next++]! : c));
}
/** Pinned columns stand after the first one, in their order. */
export function pinnedFirst<R>(columns: readonly Column<R>[], pinned: readonly string[]): Column<R>[] {
  const [first, ...rest] = columns;
  const isPinned = (c: Column<R>): boolean => pinned.includes(c.key);
  return first ? [first, ...rest.filter(isPinned), ...rest.filter((c) => !isPinned(c))] : [];
}
/** What the member hides, and optional columns that the member has not chosen yet. */
export const hiddenOf = <R>(columns: readonly Column<R>[], { hidden, order }: TableLayout): string[] => [
  ...hidden,
  ...columns.filter((c) => c.optional && !order.includes(c.key) && !hidden.includes(c.key)).map((c) => c.key),
];
/** Returns the list from before if nothing in it has changed, so that nothing is drawn again. */
export const steady = <T>(before: T[] | undefined, now: T[], isSame: (a: T, b: T) => boolean): T[] =>
  before?.length === now.length && before.every((one, i) => isSame(one, now[i]!)) ? before : now;
/** Whether both columns look the same. Sorting and the CSV file always use the newer one. */
export const isDrawnAlike = <R>(a: Column<R>, b: Column<R>): boolean =>
  a.key === b.key &&
  a.label === b.label &&
  a.num === b.num &&
  a.explain === b.explain &&
  (a.sort === undefined) === (b.sort === undefined);
export const isSpoken = (label: string): boolean => label.startsWith('(');
export const spoken = (label: string): string => label.replace(/^\(|\)$/g, '');

export function sorted<R>(
  rows: readonly R[],
  value: (row: R) => string | number | bigint,
  down: boolean,
): R[] {
  const order = (a: R, b: R): number => {
    const [x, y] = [value(a), value(b)];
    if (typeof x === 'string' || typeof y === 'string') return String(x).localeCompare(String(y));
    return x < y ? -1 : x > y ? 1 : 0;
  };
  return [...rows].sort((a, b) => (down ? order(b, a) : order(a, b)));
}

/** The rows from the one picked last to this one, in the order shown. */
export function rangeOf(ids: readonly string[], from: string, to: string): string[] {
  const [a, b] = [ids.indexOf(from), ids.indexOf(to)];
  return a < 0 || b < 0 ? [to] : ids.slice(Math.min(a, b), Math.max(a, b) + 1);
}
