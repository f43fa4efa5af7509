/** The arithmetic of a verdict, line by line. */
import type { VerdictAnswer } from '@tracheon/core/contract';

interface Formats {
  count: (n: number) => string;
  money: (micros: string, decimals?: number) => string;
  percent: (share: number | null, decimals?: number) => string;
}

const BID_DIGITS = 4;

/** A bid as its source bills it; the currency is named where it is not the desk's. */
export function bidText(micros: string, { bidUnit }: VerdictAnswer, currency: string): string {
  const amount = (Number(micros) / 1e6).toFixed(bidUnit.visits === 1 ? BID_DIGITS : 2);
  const unit = bidUnit.visits === 1 ? '' : ` per ${bidUnit.visits}`;
  return `${amount}${bidUnit.currency === currency ? '' : ` ${bidUnit.currency}`}${unit}`;
}

export function verdictLines(
  v: VerdictAnswer,
  currency: string,
  { count, money, percent }: Formats,
): { label: string; value: string }[] {
  const lines = [
    { label: 'Visits old enough to have converted', value: count(v.visits) },
    { label: `Spent on them, ${currency}`, value: money(v.spentMicros) },
    { label: `Expected from them, ${currency}`, value: money(v.expectedMicros) },
    { label: 'Their conversions', value: count(v.conversions) },
  ];
  if (v.payoutMicros !== null)
    lines.push({ label: `Average payout, ${currency}`, value: money(v.payoutMicros) });
  if (v.spentPayouts !== null) lines.push({ label: 'Spent ÷ payout', value: v.spentPayouts.toFixed(1) });
  if (v.usualConversions !== null)
    lines.push({ label: 'Conversions usual for this cost', value: v.usualConversions.toFixed(1) });
  if (v.chance !== null) lines.push({ label: 'Chance of profit', value: percent(v.chance, 1) });
  if (v.breakEvenMicros !== null)
    lines.push({ label: 'Break-even bid', value: bidText(v.breakEvenMicros, v, currency) });
  return lines;
}
