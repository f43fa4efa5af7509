/** Columns of figures, by the registry: heading, meaning, order and text of each. */
import type { Figures } from '@tracheon/core/contract';
import { figureDefinitions, type FigureDefinition, type FigureName } from '@tracheon/core/metrics';
import { formatAmount } from '@tracheon/core/money';
import { changeWords, UNKNOWN } from './figureCells.ts';
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
      csv: (row) => plainFigure(name, figuresOf(row)),
    };
  });
}

/** Decimal text of micro-units is compared as the number that it is. */
const sortable = (value: number | string | null): number | bigint =>
  value === null ? LOWEST : typeof value === 'string' ? BigInt(value) : value;

/** As files have it: amounts in units with a decimal point, shares as 0.02 for 2 %, nothing where it is empty. */
export function plainFigure(name: FigureName, figures: Figures | null): string {
  const value = figures?.[name] ?? null;
  if (value === null) return '';
  return typeof value === 'string' ? formatAmount(BigInt(value)) : String(value);
}

/** Digits of a share, where it is not a whole percentage. */
const SHARE_DIGITS = 2;
const EACH_DIGITS = 4;

/** Figures that say nothing as long as no cost is known. */
const ofKnownCost: readonly FigureName[] = ['profitMicros', 'roi', 'roas'];

export function figureText(name: FigureName, figures: Figures | null | undefined): string {
  const { unit }: FigureDefinition = figureDefinitions[name];
  const value = figures?.[name] ?? null;
  if (value === null) return ofKnownCost.includes(name) && figures?.profitMicros === null ? UNKNOWN : '–';
  if (unit === 'count') return count(value as number);
  if (unit === 'share') return percent(value as number, SHARE_DIGITS);
  // A return of nothing is 0 %; a ratio of revenue to cost has no sign.
  if (unit === 'return') return percent(value as number, 0, name === 'roi');
  return money(value as string, unit === 'each' ? EACH_DIGITS : 2);
}

/** How a figure changed against another period: shares in percentage points, all else in percent; empty where that can't be said. */
export function figureChange(name: FigureName, now: Figures, before: Figures | null): string {
  const { unit }: FigureDefinition = figureDefinitions[name];
  const [a, b] = [now[name], before?.[name] ?? null];
  if (a === null || b === null) return '';
  if (unit !== 'share' && unit !== 'return') return changeWords(Number(a), Number(b));
  const points = (Number(a) - Number(b)) * 100;
  if (Math.abs(points) < 0.005) return '= before';
  return `${points > 0 ? '▲' : '▼'} ${Math.abs(points).toFixed(unit === 'share' ? 2 : 0)} pt`;
}
