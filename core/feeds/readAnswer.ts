/** A provider's answer read by the feed's description: which rows it has, what they say, and what it states of itself. */
import { parse } from 'lossless-json';
import { NOT_CHOSEN, type FeedInput } from '../contract/index.ts';
import { amountSentence, parseAmount, parseBilled, type Micros } from '../money/index.ts';
import type { FeedEntry } from './sets.ts';

/** What can't be read, in a sentence for the member who connects the provider. */
export class FeedProblem extends Error {}

/** Deeper answers are no list of rows. */
const MAX_DEPTH = 6;
const MAX_TEXT = 512;
export const shown = (text: string): string => `“${text.slice(0, 60)}”`;

/** Digits stay as they were written. Throws FeedProblem. */
export function readJson(text: string): unknown {
  try {
    return parse(text);
  } catch {
    throw new FeedProblem(
      text.trimStart().startsWith('<')
        ? 'The provider answered with a web page instead of JSON. Check the address and the key.'
        : 'The answer is not valid JSON. It may have been cut off.',
    );
  }
}

/** The value at a place; undefined: there is none. */
export function at(answer: unknown, place: string): unknown {
  if (place === '') return answer;
  let value = answer;
  for (const name of place.split('.')) {
    if (typeof value !== 'object' || value === null || !Object.hasOwn(value, name)) return undefined;
    value = (value as Record<string, unknown>)[name];
  }
  return value;
}

/** A value as text; undefined for objects, lists and what is not there. */
function textOf(value: unknown): string | undefined {
  if (value === null || value === undefined) return undefined;
  if (typeof value === 'string') return value.slice(0, MAX_TEXT);
  if (typeof value === 'boolean') return String(value);
  if (typeof value === 'object' && !('isLosslessNumber' in value)) return undefined;
  return String(value).slice(0, MAX_TEXT);
}
export const textAt = (answer: unknown, place: string): string | undefined => textOf(at(answer, place));

export interface FeedPage {
  rows: unknown[];
  /** The address of the next page, as the answer names it; null: this is the last one, as far as it says. */
  next: string | null;
  statedCount: number | null;
  statedSum: Micros | null;
  /** The answer as a whole says that its rows are final. */
  isFinal: boolean;
}

/** Throws FeedProblem. */
export function pageOf(feed: FeedInput, answer: unknown): FeedPage {
  const rows = at(answer, feed.rowsAt);
  if (!Array.isArray(rows))
    throw new FeedProblem(
      feed.rowsAt === ''
        ? 'The answer is not a list of rows. Say in which field the list is.'
        : `The answer has no list in ${shown(feed.rowsAt)}.`,
    );
  const count = feed.countAt === '' ? undefined : textAt(answer, feed.countAt);
  const sum = feed.sumAt === '' ? undefined : textAt(answer, feed.sumAt);
  const next = feed.paging === 'next' ? textAt(answer, feed.nextAt) : undefined;
  return {
    rows,
    next: next === undefined || next === '' ? null : next,
    statedCount: count !== undefined && /^\d{1,9}$/.test(count) ? Number(count) : null,
    statedSum: sum === undefined ? null : amountOf(feed, sum, feed.sumAt),
    isFinal: feed.finals === 'field' && textAt(answer, feed.finalAt) === feed.finalWord,
  };
}

/** What is earned is never below zero; what is billed may be a credit. */
export function amountOf(feed: FeedInput, text: string, place: string): Micros {
  const read =
    feed.gives === 'cost' ? parseBilled(text, feed.decimalMark) : parseAmount(text, feed.decimalMark);
  if (!read.ok) throw new FeedProblem(`${place}: ${amountSentence(read.problem, text)}`);
  return read.micros;
}

/** Rows that all say they are final; a field of the whole answer says it for all of them. */
export const areFinal = (feed: FeedInput, rows: readonly unknown[]): boolean =>
  feed.finals === 'field' &&
  rows.length > 0 &&
  rows.every((row) => textAt(row, feed.finalAt) === feed.finalWord);

export interface ReadRows {
  entries: FeedEntry[];
  /** Of all rows: what the provider's own total is compared with. */
  sum: Micros;
  /** Rows without a click ID, which belong to no visit, and what they tell. */
  withoutKey: { rows: number; amount: Micros };
}
/** Throws FeedProblem where a row has no amount that can be read: a sum that is only partly known is not known. */
export function entriesOf(feed: FeedInput, rows: readonly unknown[]): ReadRows {
  const entries: FeedEntry[] = [];
  const withoutKey = { rows: 0, amount: 0n };
  let sum = 0n;
  rows.forEach((row, i) => {
    checkCurrency(feed, row, i);
    const key = textAt(row, feed.slotAt)?.trim() ?? '';
    for (const { amountAt, eventTypeId } of feed.counters.filter((c) => c.amountAt !== NOT_CHOSEN)) {
      const text = textAt(row, amountAt);
      if (text === undefined || text.trim() === '') {
        if (i === 0 && at(row, amountAt) === undefined)
          throw new FeedProblem(`The rows have no field ${shown(amountAt)}.`);
        continue;
      }
      const amount = amountOf(feed, text.trim(), `Row ${i + 1}, ${amountAt}`);
      sum += amount;
      if (key === '') withoutKey.amount += amount;
      else entries.push({ key, eventTypeId, amount, currency: feed.currency });
    }
    if (key === '') withoutKey.rows += 1;
  });
  return { entries, sum, withoutKey };
}

/** Throws FeedProblem where a row states another currency than the feed's. */
export function checkCurrency(feed: FeedInput, row: unknown, i: number): void {
  const stated = feed.currencyAt === '' ? '' : (textAt(row, feed.currencyAt)?.trim().toUpperCase() ?? '');
  if (stated !== '' && stated !== feed.currency)
    throw new FeedProblem(
      `Row ${i + 1} is in ${shown(stated)}, but this feed is in ${feed.currency}. Make a feed of its own for each currency.`,
    );
}

/** The fields of a row, as a member picks from them. */
export function fieldsOf(row: unknown): { at: string; value: string }[] {
  const all: { at: string; value: string }[] = [];
  const walk = (value: unknown, place: string, depth: number): void => {
    const text = textOf(value);
    if (text !== undefined) all.push({ at: place, value: text.slice(0, 80) });
    else if (typeof value === 'object' && value !== null && !Array.isArray(value) && depth < MAX_DEPTH)
      for (const [name, inner] of Object.entries(value).slice(0, 100))
        if (!name.includes('.')) walk(inner, place === '' ? name : `${place}.${name}`, depth + 1);
  };
  walk(row, '', 0);
  return all.filter((f) => f.at !== '');
}
