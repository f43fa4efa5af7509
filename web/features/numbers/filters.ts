/** Filters of the numbers table: how they stand in the link of the page, and how they read. */
import {
  figureComparisons,
  figureFilter,
  MAX_FIGURE_FILTERS,
  MAX_VALUE_FILTERS,
  valueFilter,
  type FigureFilter,
  type ValueFilter,
} from '@tracheon/core/contract';
import { figureDefinitions, type FigureDefinition, type FigureName } from '@tracheon/core/metrics';
import { groupingLabel, valueText } from './groupingWords.ts';
import type { MoreFigure } from './moreFigures.ts';

/** No value of a visit has it. */
const BETWEEN = '\n';

/** `sub_site:is:moss`; several values stand one below the other. */
export const valueFilterText = ({ by, is, values }: ValueFilter): string =>
  [by, is, values.join(BETWEEN)].join(':');
/** `spentMicros>20` */
export const figureFilterText = ({ figure, is, than }: FigureFilter): string => `${figure}${is}${than}`;

/** What can't be read, as after a change of a link by hand, is left out. */
export function readValueFilters(texts: readonly string[]): ValueFilter[] {
  return texts.slice(0, MAX_VALUE_FILTERS).flatMap((text) => {
    const [by = '', is = '', ...rest] = text.split(':');
    const parsed = valueFilter.safeParse({ by, is, values: rest.join(':').split(BETWEEN) });
    return parsed.success ? [parsed.data] : [];
  });
}
export function readFigureFilters(texts: readonly string[]): FigureFilter[] {
  return texts.slice(0, MAX_FIGURE_FILTERS).flatMap((text) => {
    const [, figure, is, than] = /^([\w.:-]+?)([<>!=]+)(-?[\d.]+)$/.exec(text) ?? [];
    const parsed = figureFilter.safeParse({ figure, is, than: Number(than) });
    return parsed.success ? [parsed.data] : [];
  });
}

const comparisonWords: Record<ValueFilter['is'], string> = {
  is: 'is',
  not: 'is not',
  contains: 'contains',
};
export const valueComparisonChoices = Object.entries(comparisonWords).map(([value, label]) => ({
  value: value as ValueFilter['is'],
  label,
}));
const figureComparisonWords: Record<FigureFilter['is'], string> = {
  '<': '<',
  '<=': '≤',
  '=': '=',
  '!=': '≠',
  '>=': '≥',
  '>': '>',
};
export const figureComparisonChoices = figureComparisons.map((value) => ({
  value,
  label: figureComparisonWords[value],
}));

/** `named` tells the name of a value, such as that of a campaign by its ID. */
export function valueFilterWords(
  { by, is, values }: ValueFilter,
  named: (by: string, value: string) => string,
): string {
  const [first = '', ...more] = values.map((v) => valueText(by, named(by, v)));
  const list = more.length > 1 ? `${first} or ${more.length} more` : [first, ...more].join(' or ');
  return `${groupingLabel(by)} ${comparisonWords[is]} ${list}`;
}
type Name = FigureFilter['figure'];
/** What is known of a figure; one of the desk's own may be gone since its filter was saved. */
function known(figure: Name, more: readonly MoreFigure[]): { label: string; unit: '' | '%' | 'money' } {
  if (Object.hasOwn(figureDefinitions, figure)) {
    const { label, unit }: FigureDefinition = figureDefinitions[figure as FigureName];
    return {
      label,
      unit: unit === 'count' ? '' : unit === 'share' || unit === 'return' ? '%' : 'money',
    };
  }
  const found = more.find((f) => f.name === figure);
  if (!found) return { label: 'A figure that is gone', unit: '' };
  return {
    label: found.label,
    unit: found.unit === 'number' ? '' : found.unit === 'percent' ? '%' : 'money',
  };
}
/** Shares are typed and read in percent. */
export function figureUnit(figure: Name, currency: string, more: readonly MoreFigure[]): string {
  const { unit } = known(figure, more);
  return unit === 'money' ? currency : unit;
}
export const typedFigure = (figure: Name, typed: number, more: readonly MoreFigure[]): number =>
  known(figure, more).unit === '%' ? typed / 100 : typed;
export function figureFilterWords({ figure, is, than }: FigureFilter, more: readonly MoreFigure[]): string {
  const { label, unit } = known(figure, more);
  const shown = unit === '%' ? `${Number((than * 100).toFixed(6))} %` : String(than);
  return `${label} ${figureComparisonWords[is]} ${shown}`;
}
