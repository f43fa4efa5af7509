/** Which postbacks Tracheon sends to a source for a conversion. */
import type { ConversionStatus, ReportAgain } from '../contract/index.ts';
import type { FoldedConversion } from './folded.ts';
import type { Transition } from './transition.ts';

/** A postback that is due. `nth`: 1 for the first with this status. */
export interface PostbackDue extends Transition {
  nth: number;
}

export interface ReportRules {
  statuses: readonly ConversionStatus[];
  again: ReportAgain;
  delayMs: number;
}

/**
 * The postbacks out for a conversion, in their order. Tracheon sends one when the conversion first reaches a status that the
 * source wants. It sends another when the payout has changed since, or at each return to that status, if the source wants
 * that. With a delay, Tracheon sends nothing for a status that another one replaced before the delay was over.
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
