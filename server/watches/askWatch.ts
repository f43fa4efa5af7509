/** What a watch looks at: one question to the numbers index, which watches of the same shape share. */
import {
  numbersAsked,
  type NumbersAnswer,
  type NumbersAsked,
  type NumbersQuestion,
  USUAL_DAYS,
  type ValueFilter,
  type WatchInput,
} from '@tracheon/core/contract';
import { localDay } from '@tracheon/core/time';
import { emptyRow, looksBack, windowAt, windowBefore, type WatchedRow } from '@tracheon/core/watches';

export interface Looked {
  fromMs: number;
  toMs: number;
  rows: LookedRow[];
  total: WatchedRow;
  fedMs: number;
}
export interface LookedRow extends WatchedRow {
  value: string;
  name: string;
}
export type AsksNumbers = (deskId: string, asked: NumbersQuestion) => Promise<NumbersAnswer>;

/** More values than this are most likely no values, but IDs. */
const MAX_ROWS = 50_000;
/** More than a screen may ask for: each answer gathers the sums of all rows again. About 15 MB. */
const ROWS_AT_A_TIME = 10_000;

export function questionOf(
  watch: WatchInput,
  nowMs: number,
  between: { fromMs: number; toMs: number } = windowAt(watch, nowMs),
  isPast = false,
): NumbersAsked {
  const today = localDay(nowMs, 'UTC');
  const only: ValueFilter[] = [
    ...(watch.sourceId === '' ? [] : [{ by: 'source_id', is: 'is' as const, values: [watch.sourceId] }]),
    ...(watch.campaignId === ''
      ? []
      : [{ by: 'campaign_id', is: 'is' as const, values: [watch.campaignId] }]),
  ];
  const question = numbersAsked.parse({
    from: today,
    to: today,
    between,
    by: [watch.subject],
    only,
    verdicts: true,
    onlyMature: watch.isGuarded,
    moment: { ms: nowMs, isPast },
    sort: 'spentMicros',
  });
  return { ...question, limit: ROWS_AT_A_TIME };
}

export type LooksOnce = (question: NumbersAsked) => Promise<Looked>;
/** What a watch looks at now; where a condition compares with the days before, their rows too. */
export async function lookFor(
  looksOnce: LooksOnce,
  watch: WatchInput,
  nowMs: number,
  zone: string,
  /** By what was known then. */
  isPast = false,
): Promise<Looked> {
  const looked = await looksOnce(questionOf(watch, nowMs, undefined, isPast));
  if (!looksBack(watch)) return looked;
  const past: Looked[] = [];
  // One after the other: a watch is in no hurry, and the index has other questions.
  for (let days = 1; days <= USUAL_DAYS; days++)
    past.push(await looksOnce(questionOf(watch, nowMs, windowBefore(watch, nowMs, days, zone), isPast)));
  return withPast(looked, past);
}

/** Also values that were there before, and are not now. */
function withPast(looked: Looked, past: readonly Looked[]): Looked {
  const now = new Map(looked.rows.map((r) => [r.value, r]));
  const before = past.map((p) => new Map(p.rows.map((r) => [r.value, r])));
  for (const day of before)
    for (const { value, name } of day.values())
      if (!now.has(value)) now.set(value, { ...emptyRow(), value, name });
  const nothing = emptyRow();
  const rows = [...now.values()].map((row) => ({
    ...row,
    past: before.map((day) => day.get(row.value) ?? nothing),
  }));
  return { ...looked, rows };
}

/** All rows; a visit without a value is no subject. */
export async function look(ask: AsksNumbers, deskId: string, question: NumbersQuestion): Promise<Looked> {
  const { between } = question;
  const rows: LookedRow[] = [];
  let answer: NumbersAnswer;
  let offset = 0;
  do {
    answer = await ask(deskId, { ...question, offset });
    for (const { values, names, figures, events, verdict } of answer.rows)
      if (values[0] !== '') rows.push({ value: values[0]!, name: names[0]!, figures, events, verdict });
    offset += answer.rows.length;
  } while (answer.rows.length > 0 && offset < Math.min(answer.count, MAX_ROWS));
  const total = { figures: answer.total, events: answer.totalEvents, verdict: null };
  return { ...between!, rows, total, fedMs: Date.parse(answer.fedAt) };
}
