/** Levels of the numbers table that are open, one below the other, as rows in the order in which they are read. */
import type { Figures, NumbersAnswer } from '@tracheon/core/contract';

export interface NumbersRow {
  key: string;
  level: number;
  /** Values of the levels above, and its own. */
  path: string[];
  name: string;
  figures: Figures | null;
  /** Rows that are not shown yet; such a row stands below those that are. */
  more: number;
}
export interface Level {
  rows: NumbersAnswer['rows'];
  count: number;
}
/** By the path of the row under which it is open. */
export type OpenLevels = ReadonlyMap<string, Level>;

export const keyOf = (path: readonly string[]): string => JSON.stringify(path);
export const pathOf = (key: string): string[] => JSON.parse(key) as string[];

export function flat(level: Level | null, open: OpenLevels, above: readonly string[] = []): NumbersRow[] {
  if (!level) return [];
  const rows = level.rows.flatMap((r): NumbersRow[] => {
    const path = [...above, r.values[0]!];
    const key = keyOf(path);
    const row = { key, level: above.length, path, name: r.names[0]!, figures: r.figures, more: 0 };
    return [row, ...flat(open.get(key) ?? null, open, path)];
  });
  const more = level.count - level.rows.length;
  const rest = { level: above.length, path: [...above, ''], name: '', figures: null, more };
  return more > 0 ? [...rows, { key: `${keyOf(above)}+`, ...rest }] : rows;
}

/** Closed, with all that is open below it. */
export const closed = (open: OpenLevels, path: readonly string[]): Map<string, Level> =>
  new Map([...open].filter(([key]) => !path.every((value, i) => pathOf(key)[i] === value)));
