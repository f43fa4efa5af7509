/** The visits and conversions behind a row of Numbers: lists that are narrowed by a period and by values. */
import { z } from 'zod';
import { isDay } from '../time/index.ts';
import { valueFilter, type ValueFilter } from './numbers.ts';

const MAX_WHERE = 8000;
const MAX_FILTERS = 30;
const filters = z.array(valueFilter).max(MAX_FILTERS);

function read(text: string): ValueFilter[] | null {
  if (text === '') return [];
  try {
    return filters.safeParse(JSON.parse(text)).data ?? null;
  } catch {
    return null;
  }
}
/** As the schema below has checked it. */
export const readWhere = (text: string): ValueFilter[] => read(text) ?? [];
export const writeWhere = (of: readonly ValueFilter[]): string => (of.length === 0 ? '' : JSON.stringify(of));

const day = z
  .string()
  .refine((s) => s === '' || isDay(s), 'Write a day as YYYY-MM-DD.')
  .default('');
export const behindQuery = {
  /** First and last day in the desk's zone, both included; empty: no period. */
  from: day,
  to: day,
  /** Filters on values as a JSON array, as `only` of a report has them. */
  where: z
    .string()
    .max(MAX_WHERE)
    .refine((s) => read(s) !== null, 'Write filters as a JSON array, as `only` of a report has them.')
    .default(''),
};
