/** Columns of figures, by the registry: heading, meaning, order and text of each. */
import type { Figures } from '@tracheon/core/contract';
import { figureDefinitions, type FigureDefinition, type FigureName } from '@tracheon/core/metrics';
import { UNKNOWN } from './figureCells.ts';
import { count, money, percent } from './format.ts';
import type { Column } from './tableColumns.ts';

/** What is empty comes below everything else. */
const LOWEST = -Infinity;

export function figureColumns<R>(
  names: readonly FigureName[],
  figuresOf: (row: R) => Figures | null,
): Column<R>[] {
  return names.map((name) => {
    const { short, meaning } = figureDefinitions[name];
    return {
      key: name,
      label: short,
      num: true,
      explain: meaning.replace(/\.$/, ''),
      sort: (row) => sortable(figuresOf(row)?.[name] ?? null),
    };
  });
}

/** Decimal text of micro-units is compared as the number that it is. */
const sortable = (value: number | string | null): number | bigint =>
  value === null ? LOWEST : typeof value === 'string' ? BigInt(value) : value;

/** Digits of a share, where it is not a whole percentage. */
const SHARE_DIGITS = 2;
const EACH_DIGITS = 4;

export function figureText(name: FigureName, figures: Figures | null | undefined): string {
  const { unit }: FigureDefinition = figureDefinitions[name];
  const value = figures?.[name] ?? null;
  if (value === null)
    return (name === 'profitMicros' || name === 'roi') && figures?.profitMicros === null ? UNKNOWN : '–';
  if (unit === 'count') return count(value as number);
  if (unit === 'share') return percent(value as number, SHARE_DIGITS);
  if (unit === 'return') return percent(value as number, 0, true);
  return money(value as string, unit === 'each' ? EACH_DIGITS : 2);
}
