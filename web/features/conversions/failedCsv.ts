/** Rows that could not be booked, as they came, with the reason: to be mended and imported again. */
import Papa from 'papaparse';

export const failedCsv = (
  header: readonly string[],
  rows: readonly { n: number; cells: readonly string[]; why: string }[],
): string =>
  Papa.unparse(
    {
      fields: [...header, 'Row', 'Why'],
      data: rows.map(({ n, cells, why }) => [...header.map((_, i) => cells[i] ?? ''), n, why]),
    },
    { escapeFormulae: true },
  );
