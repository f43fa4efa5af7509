/** What to ask the network's account manager about lines of its statement: a text to copy, in plain English. */
import type { LineKind, StatementLine } from '../contract/index.ts';
import { formatAmount } from '../money/index.ts';

const questions: Partial<Record<LineKind, string>> = {
  missing_there:
    'These conversions are approved in our records, but your statement does not have them. Could you check them?',
  missing_here:
    'Your statement has these conversions, but we received no postback for them. Could you send them again?',
  amount_differs:
    'The amount of these conversions differs from what your postbacks reported. Which amount is right?',
  status_differs:
    'The status of these conversions differs from what your postbacks reported. Which status is right?',
  currency_differs:
    'The currency of these conversions differs from what your postbacks reported. Which currency is right?',
};

const sum = (side: StatementLine['ours']): string =>
  side === null
    ? '–'
    : [side.status, side.micros === null ? '' : formatAmount(BigInt(side.micros)), side.currency]
        .filter(Boolean)
        .join(' ');

/** Empty for results that nobody has to ask about. */
export function askText(
  kind: LineKind,
  lines: readonly StatementLine[],
  of: { networkName: string; from: string; to: string },
): string {
  const question = questions[kind];
  if (!question || lines.length === 0) return '';
  const period = of.from === '' ? '' : ` from ${of.from} to ${of.to}`;
  return [
    `Hello ${of.networkName} team,`,
    '',
    `we compared your statement${period} with our records. ${question}`,
    '',
    'Transaction | Click ID | Time (UTC) | Statement | Our records',
    ...lines.map((l) =>
      [
        l.transaction || '–',
        l.clickId || '–',
        l.at?.slice(0, 16).replace('T', ' ') ?? '–',
        sum(l.theirs),
        sum(l.ours),
      ].join(' | '),
    ),
    '',
    'Thank you!',
  ].join('\n');
}
