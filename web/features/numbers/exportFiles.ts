/** Rows of Numbers as files of other programs: spreadsheets, and tables of columns for analysis. */
import type { SchemaElement } from 'hyparquet-writer';
import { figureDefinitions, figureNames, type FigureDefinition } from '@tracheon/core/metrics';
import { plainFigure } from '../../ui/figureColumns.ts';
import { headings, type Exported } from './exportNumbers.ts';
import { valueText } from './groupingWords.ts';
import { morePlain, type MoreFigure } from './moreFigures.ts';

/** What a sheet of that format has room for, without its heading. */
export const MAX_XLSX_ROWS = 1_048_575;

const numberOf = (plain: string): number | null => (plain === '' ? null : Number(plain));

export async function asXlsx(
  by: readonly string[],
  { rows, currency }: Exported,
  more: readonly MoreFigure[] = [],
): Promise<Blob> {
  if (rows.length > MAX_XLSX_ROWS)
    throw new Error(
      `${rows.length} rows don’t fit into an XLSX file, which has room for ${MAX_XLSX_ROWS}. Choose CSV or Parquet.`,
    );
  const { default: write } = await import('write-excel-file/universal');
  const text = (value: string) => (value === '' ? null : { value, type: String });
  const number = (value: number | null) => (value === null ? null : { value, type: Number });
  return write([
    headings(by, currency, more).map((value) => ({ value, type: String, fontWeight: 'bold' as const })),
    ...rows.map((r) => [
      ...r.names.map((name, i) => text(name === '' ? '' : valueText(by[i]!, name))),
      ...figureNames.map((name) => number(numberOf(plainFigure(name, r.figures)))),
      ...more.map((f) => number(numberOf(morePlain(f, r)))),
    ]),
  ]).toBlob();
}

type ParquetColumn = SchemaElement & { data: unknown[] };
/** Exact: whole micro-units, read as amounts with six decimals. */
const AMOUNT = { type: 'INT64', converted_type: 'DECIMAL', precision: 18, scale: 6 } as const;
const TEXT = { type: 'BYTE_ARRAY', converted_type: 'UTF8' } as const;

function parquetColumns(
  by: readonly string[],
  { rows }: Exported,
  more: readonly MoreFigure[],
): ParquetColumn[] {
  const column = (name: string, type: Omit<SchemaElement, 'name'>, data: unknown[]): ParquetColumn => ({
    name,
    repetition_type: 'OPTIONAL',
    ...type,
    data,
  });
  return [
    ...by.flatMap((level, i) => [
      column(
        level,
        TEXT,
        rows.map((r) => r.values[i]!),
      ),
      column(
        `${level}_name`,
        TEXT,
        rows.map((r) => r.names[i]!),
      ),
    ]),
    ...figureNames.map((name) => {
      const { unit }: FigureDefinition = figureDefinitions[name];
      const values = rows.map((r) => r.figures[name] ?? null);
      const isAmount = unit === 'money' || unit === 'each';
      return isAmount
        ? column(
            name.replace(/Micros$/, ''),
            AMOUNT,
            values.map((v) => (v === null ? null : BigInt(v))),
          )
        : column(name, { type: 'DOUBLE' }, values);
    }),
    ...more.map((f) =>
      column(
        f.label,
        { type: 'DOUBLE' },
        rows.map((r) => numberOf(morePlain(f, r))),
      ),
    ),
  ];
}

export async function asParquet(
  by: readonly string[],
  exported: Exported,
  more: readonly MoreFigure[] = [],
): Promise<ArrayBuffer> {
  const { parquetWriteBuffer } = await import('hyparquet-writer');
  const columns = parquetColumns(by, exported, more);
  return parquetWriteBuffer({
    columnData: columns.map(({ name, data }) => ({ name, data })),
    schema: [
      { name: 'rows', num_children: columns.length },
      ...columns.map(({ data: _, ...element }) => element),
    ],
    kvMetadata: [{ key: 'currency', value: exported.currency }],
  });
}
