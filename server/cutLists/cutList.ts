/** A cut list from the numbers index: the values of a source with their verdicts, and the same rules tried on the past. */
import {
  MAX_CUT_ROWS,
  numbersAsked,
  TRIAL_DAYS,
  type CutListAnswer,
  type CutListAsked,
  type ListKind,
  type NumbersAnswer,
} from '@tracheon/core/contract';
import { SUB_PREFIX } from '@tracheon/core/metrics';
import { shiftDay } from '@tracheon/core/time';

/** Asks the index of the desk. */
export type AskNumbers = (asked: ReturnType<typeof numbersAsked.parse>) => Promise<NumbersAnswer>;

export async function cutList(
  ask: AskNumbers,
  asked: CutListAsked,
  listOf: ReadonlyMap<string, ListKind>,
): Promise<CutListAnswer> {
  const answer = await ask(question(asked, { verdicts: true }));
  return {
    zone: answer.zone,
    currency: answer.currency,
    rows: answer.rows
      // Visits that name no value can't be cut by it.
      .filter((r) => r.values[0] !== '')
      .map((r) => ({
        value: r.values[0]!,
        figures: r.figures,
        verdict: r.verdict!,
        list: listOf.get(r.values[0]!) ?? '',
      })),
    count: answer.count,
    total: answer.total,
    youngHours: answer.youngHours ?? { least: 0, most: 0 },
    trial: await trial(ask, asked),
  };
}

const question = ({ sourceId, sub, from, to }: CutListAsked, more: object) =>
  numbersAsked.parse({
    from,
    to,
    by: [SUB_PREFIX + sub],
    only: [{ by: 'source_id', is: 'is', values: [sourceId] }],
    sort: 'profitMicros',
    isDescending: false,
    limit: MAX_CUT_ROWS,
    ...more,
  });

/** The first day of the period on which the source sent a visit; null for none. */
async function firstDay(ask: AskNumbers, asked: CutListAsked): Promise<string | null> {
  const { rows } = await ask(question(asked, { by: ['day'], sort: '', limit: 1 }));
  return rows[0]?.values[0] ?? null;
}

/** Null where no days are left after those on which the rules decide. */
async function trial(ask: AskNumbers, asked: CutListAsked): Promise<CutListAnswer['trial']> {
  const from = await firstDay(ask, asked);
  if (from === null) return null;
  const later = { ...asked, from: shiftDay(from, TRIAL_DAYS) };
  if (later.from > later.to) return null;
  const first = { ...asked, from, to: shiftDay(later.from, -1) };
  const then = await ask(question(first, { verdicts: true, asOf: later.from }));
  const cut = then.rows
    .filter((r) => r.values[0] !== '' && r.verdict!.kind === 'cut')
    .map((r) => r.values[0]!);
  const found = { from: later.from, to: later.to, cut: cut.length, savedMicros: '0', mistakes: [] };
  if (cut.length === 0) return found;
  const after = await ask(
    question(later, {
      only: [
        { by: 'source_id', is: 'is', values: [asked.sourceId] },
        { by: SUB_PREFIX + asked.sub, is: 'is', values: cut },
      ],
    }),
  );
  const profitOf = (r: NumbersAnswer['rows'][number]): bigint => BigInt(r.figures.profitMicros ?? '0');
  return {
    ...found,
    savedMicros: String(-after.rows.reduce((sum, r) => sum + profitOf(r), 0n)),
    mistakes: after.rows
      .filter((r) => profitOf(r) > 0n)
      .map((r) => ({ value: r.values[0]!, profitMicros: r.figures.profitMicros! })),
  };
}
