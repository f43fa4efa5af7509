/** Rows in the order of their verdicts, which are given here and not by DuckDB: what loses most surely first. */
import { verdictKinds, type NumbersAsked, type VerdictAnswer } from '@tracheon/core/contract';
import { figures, type ApprovalRate } from '@tracheon/core/metrics';
import type { Gathering } from './gather.ts';
import type { Segment } from './rateSegments.ts';
import { choosePage, writePage, type Page } from './page.ts';
import { pageSums } from './sums.ts';
import { verdictGround, verdictOf } from './verdicts.ts';

/** Those that cost most; the others follow by their cost. */
export const MAX_JUDGED_ROWS = 20_000;

export async function chooseByVerdict(
  of: Gathering,
  asked: NumbersAsked,
  segments: readonly Segment[],
  approval: ApprovalRate,
): Promise<Page> {
  const { offset, limit, isDescending } = asked;
  const all: NumbersAsked = {
    ...asked,
    sort: 'spentMicros',
    isDescending: true,
    offset: 0,
    limit: Math.max(MAX_JUDGED_ROWS, offset + limit),
  };
  const wide = await choosePage(of, all, segments, approval);
  const sums = await pageSums(of, segments, wide.rows.slice(0, MAX_JUDGED_ROWS));
  const by = verdictGround(of.ground, approval, sums.all);
  const judged = sums.rows.map((row) => ({
    values: row.values,
    // In which unit bids are made changes no verdict.
    verdict: verdictOf(figures(row.mature, approval), by, ''),
  }));
  judged.sort((a, b) => compareVerdicts(a.verdict, b.verdict));
  if (isDescending) judged.reverse();
  const rows = [...judged.map((j) => j.values), ...wide.rows.slice(MAX_JUDGED_ROWS)];
  await writePage(of, rows.slice(0, offset + limit), offset);
  return { count: wide.count, rows: rows.slice(offset, offset + limit) };
}

const places = new Map(verdictKinds.map((kind, i) => [kind, i]));
/** By kind; of one kind by the chance of profit, and of one chance what cost most first. */
export function compareVerdicts(a: VerdictAnswer, b: VerdictAnswer): number {
  return (
    places.get(a.kind)! - places.get(b.kind)! ||
    (a.chance ?? 1) - (b.chance ?? 1) ||
    Number(BigInt(b.spentMicros) - BigInt(a.spentMicros))
  );
}
