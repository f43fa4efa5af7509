/** A table as an XLSX file. Loaded when somebody asks for one. */
import type { Column } from './tableColumns.ts';

/** Columns of numbers are numbers in the sheet, the others text: no value is taken for a formula. */
export async function xlsxOf<R>(rows: readonly R[], columns: readonly Column<R>[]): Promise<Blob> {
  const { default: write } = await import('write-excel-file/universal');
  const told = columns.filter((c) => c.csv ?? c.sort);
  const cell = (c: Column<R>, row: R) => {
    const value = (c.csv ?? c.sort)!(row);
    if (value === '') return null;
    return c.num ? { value: Number(value), type: Number } : { value: String(value), type: String };
  };
  return write([
    told.map(({ label }) => ({ value: label, type: String, fontWeight: 'bold' as const })),
    ...rows.map((row) => told.map((c) => cell(c, row))),
  ]).toBlob();
}
