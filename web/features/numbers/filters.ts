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
import { figureDefinitions, type FigureDefinition } from '@tracheon/core/metrics';
import { groupingLabel, valueText } from './groupingWords.ts';

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
    const [, figure, is, than] = /^(\w+)([<>!=]+)(-?[\d.]+)$/.exec(text) ?? [];
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
const isShare = ({ unit }: FigureDefinition): boolean => unit === 'share' || unit === 'return';
/** Shares are typed and read in percent. */
export const figureUnit = (figure: FigureFilter['figure'], currency: string): string => {
  const { unit }: FigureDefinition = figureDefinitions[figure];
  return unit === 'count' ? '' : isShare(figureDefinitions[figure]) ? '%' : currency;
};
export const typedFigure = (figure: FigureFilter['figure'], typed: number): number =>
  isShare(figureDefinitions[figure]) ? typed / 100 : typed;
export function figureFilterWords({ figure, is, than }: FigureFilter): string {
  const shown = isShare(figureDefinitions[figure]) ? `${Number((than * 100).toFixed(6))} %` : String(than);
  return `${figureDefinitions[figure].label} ${figureComparisonWords[is]} ${shown}`;
}
