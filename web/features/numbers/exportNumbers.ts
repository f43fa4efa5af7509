/**
 * Everything that a table is asked for, as a file: each combination of the levels is a row, with every figure. Read answer by
 * answer, so that it can be stopped and says how far it is. Rows are read by their values: what comes meanwhile adds rows and
 * moves none twice into the file.
 */
import Papa from 'papaparse';
import { MAX_EXPORT_ROWS, type NumbersAnswer, type NumbersAsked } from '@tracheon/core/contract';
import { figureDefinitions, figureNames } from '@tracheon/core/metrics';
import { ask } from '../../app/api.ts';
import { plainFigure } from '../../ui/figureColumns.ts';
import { FORMULA } from '../../ui/tableCsv.ts';
import { groupingLabel, valueText } from './groupingWords.ts';
import { morePlain, type MoreFigure } from './moreFigures.ts';

type Row = NumbersAnswer['rows'][number];
export interface Exported {
  rows: Row[];
  currency: string;
}

export async function readAll(
  asked: Omit<NumbersAsked, 'offset' | 'limit' | 'sort' | 'isDescending'>,
  signal: AbortSignal,
  progress: (read: number, of: number) => void,
): Promise<Exported> {
  const rows = new Map<string, Row>();
  for (let offset = 0; ; offset += MAX_EXPORT_ROWS) {
    const body = { ...asked, sort: '' as const, isDescending: false, offset, limit: MAX_EXPORT_ROWS };
    const answer = await ask('numbersReport', { body }, { signal });
    for (const row of answer.rows) rows.set(JSON.stringify(row.values), row);
    progress(Math.min(offset + answer.rows.length, answer.count), answer.count);
    if (offset + answer.rows.length >= answer.count || answer.rows.length === 0)
      return { rows: [...rows.values()], currency: answer.currency };
  }
}

const heading = (name: (typeof figureNames)[number], currency: string): string => {
  const { label, unit } = figureDefinitions[name];
  return unit === 'money' || unit === 'each' ? `${label}, ${currency}` : label;
};

/** Of the columns of a file: levels, figures, and figures beside those of the registry. */
export const headings = (by: readonly string[], currency: string, more: readonly MoreFigure[]): string[] => [
  ...by.map(groupingLabel),
  ...figureNames.map((name) => heading(name, currency)),
  ...more.map((f) => (f.unit === 'money' ? `${f.label}, ${currency}` : f.label)),
];

export function asCsv(
  by: readonly string[],
  { rows, currency }: Exported,
  more: readonly MoreFigure[] = [],
): string {
  return Papa.unparse(
    {
      fields: headings(by, currency, more),
      data: rows.map((r) => [
        ...r.names.map((name, i) => (name === '' ? '' : valueText(by[i]!, name))),
        ...figureNames.map((name) => plainFigure(name, r.figures)),
        ...more.map((f) => morePlain(f, r)),
      ]),
    },
    { escapeFormulae: FORMULA },
  );
}

/** Values as they are, names beside them; figures as the API gives them, amounts in units. */
export function asJson(
  by: readonly string[],
  { rows, currency }: Exported,
  more: readonly MoreFigure[] = [],
): string {
  return JSON.stringify({
    currency,
    by,
    rows: rows.map((r) => ({
      values: Object.fromEntries(by.map((name, i) => [name, r.values[i]])),
      names: Object.fromEntries(by.map((name, i) => [name, r.names[i]])),
      figures: Object.fromEntries(
        figureNames.map((name) => {
          const plain = plainFigure(name, r.figures);
          const { unit } = figureDefinitions[name];
          return [
            name.replace(/Micros$/, ''),
            plain === '' ? null : unit === 'money' || unit === 'each' ? plain : Number(plain),
          ];
        }),
      ),
      more: Object.fromEntries(
        more.map((f) => [f.label, morePlain(f, r) === '' ? null : Number(morePlain(f, r))]),
      ),
    })),
  });
}
