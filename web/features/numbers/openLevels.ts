/** Levels of the numbers table that are open, one below the other, as rows in the order in which they are read. */
import type { EventSums, Figures, NumbersAnswer, VerdictAnswer } from '@tracheon/core/contract';

export interface NumbersRow {
  key: string;
  level: number;
  /** Values of the levels above, and its own. */
  path: string[];
  name: string;
  figures: Figures | null;
  events: EventSums[];
  /** Of the period that it is compared with. */
  before: Figures | null;
  verdict: VerdictAnswer | null;
  /** `rest` stands below the others, for rows that are not shown. */
  kind: 'row' | 'rest';
  /** Rows that are not shown yet. */
  more: number;
}
export type Level = Pick<NumbersAnswer, 'rows' | 'count' | 'rest'>;
/** By the path of the row under which it is open. */
export type OpenLevels = ReadonlyMap<string, Level>;

export const keyOf = (path: readonly string[]): string => JSON.stringify(path);
export const pathOf = (key: string): string[] => JSON.parse(key) as string[];

export function flat(level: Level | null, open: OpenLevels, above: readonly string[] = []): NumbersRow[] {
  if (!level) return [];
  const rows = level.rows.flatMap((r): NumbersRow[] => {
    const path = [...above, r.values[0]!];
    const key = keyOf(path);
    const { figures, events, before, verdict } = r;
    const row = { key, level: above.length, path, name: r.names[0]!, figures, events, before, verdict };
    return [{ ...row, kind: 'row', more: 0 }, ...flat(open.get(key) ?? null, open, path)];
  });
  const more = level.count - level.rows.length;
  // Where nothing is found, the screen says so.
  if (rows.length === 0 || (more <= 0 && !level.rest)) return rows;
  const rest = { level: above.length, path: [...above, ''], name: '', figures: level.rest, events: [] };
  return [
    ...rows,
    { key: `${keyOf(above)}+`, ...rest, before: null, verdict: null, kind: 'rest', more: Math.max(0, more) },
  ];
}

/** Closed, with all that is open below it. */
export const closed = (open: OpenLevels, path: readonly string[]): Map<string, Level> =>
  new Map([...open].filter(([key]) => !path.every((value, i) => pathOf(key)[i] === value)));
