/** What a source is told of a conversion, and when. */
import type { ConversionStatus, ReportAgain } from '../contract/index.ts';
import type { FoldedConversion, Transition } from './folded.ts';

/** A postback that is due; `nth`: the how manieth with this status. */
export interface PostbackDue extends Transition {
  nth: number;
}

export interface ReportRules {
  statuses: readonly ConversionStatus[];
  again: ReportAgain;
  delayMs: number;
}

/**
 * The postbacks out that a conversion calls for, in their order: the first time that each told status was reached, and what
 * is to be told again: a payout that has changed since it was told, or each change to a told status. Where they are delayed,
 * a status that did not stand until then is not told.
 */
export function postbacksDue(
  c: Pick<FoldedConversion, 'transitions'>,
  { statuses, again, delayMs }: ReportRules,
): PostbackDue[] {
  const due: PostbackDue[] = [];
  for (const [i, t] of c.transitions.entries()) {
    const next = c.transitions.slice(i + 1).find((later) => later.status !== t.status);
    const isOver = next !== undefined && next.at < t.at + delayMs;
    if (!statuses.includes(t.status) || isOver) continue;
    const told = due.filter((d) => d.status === t.status);
    const before = told.at(-1);
    const isNews =
      before === undefined ||
      (again !== 'never' && (before.payout !== t.payout || before.currency !== t.currency)) ||
      (again === 'each' && due.at(-1)!.status !== t.status);
    if (isNews) due.push({ ...t, nth: told.length + 1 });
  }
  return due;
}
