/**
 * A visit's line in COPY's text format, by one function made from the columns of core/visits: one concatenation, in which
 * each property is read at a place of its own. Forty closures in a loop took three times as long.
 */
import {
  visitColumns,
  visitFields,
  type ColumnType,
  type StoredVisit,
  type VisitColumn,
} from '@tracheon/core/visits';
import { copyText } from '../db/copyRows.ts';

/** Source text of the value of a field; field names are identifiers of our own. */
const expressions: Record<ColumnType, (at: string) => string> = {
  text: (at) => `text(${at})`,
  int: (at) => at,
  bool: (at) => `(${at} ? 't' : 'f')`,
  time: (at) => `time(${at})`,
  micros: (at) => `(${at} === null ? '\\\\N' : ${at}.toString())`,
  json: (at) => `text(JSON.stringify(${at}))`,
};

/** Rows of a batch come within few milliseconds. */
let [lastMs, lastText] = [0, new Date(0).toISOString()];
function isoTime(ms: number): string {
  if (ms !== lastMs) [lastMs, lastText] = [ms, new Date(ms).toISOString()];
  return lastText;
}

const line = visitFields
  .map((field) => expressions[(visitColumns[field] as VisitColumn<unknown>).type](`v.${field}`))
  .join(` + '\\t' + `);

/** `day` is the first column. */
export const visitLine = new Function('text', 'time', `return (v, day) => day + '\\t' + ${line} + '\\n'`)(
  copyText,
  isoTime,
) as (visit: StoredVisit, day: string) => string;
