/** A table as a CSV file. Loaded when somebody asks for one. */
import Papa from 'papaparse';
import { download } from './download.ts';
import type { Column } from './tableColumns.ts';

/** What a spreadsheet takes for a formula; a negative number is none. */
export const FORMULA = /^(?:[=+@\t\r]|-(?!\d+(?:\.\d+)?$))/;

/** What is shown, as CSV: text that a spreadsheet would take for a formula is marked as text. */
export function csvOf<R>(rows: readonly R[], columns: readonly Column<R>[]): string {
  const told = columns.filter((c) => c.csv ?? c.sort);
  const value = (c: Column<R>, row: R): string => String((c.csv ?? c.sort)!(row));
  return Papa.unparse(
    { fields: told.map((c) => c.label), data: rows.map((row) => told.map((c) => value(c, row))) },
    { escapeFormulae: FORMULA },
  );
}
export function downloadCsv<R>(name: string, rows: readonly R[], columns: readonly Column<R>[]): void {
  download(`${name}.csv`, 'text/csv', csvOf(rows, columns));
}
