/** How a statement comes to what is paid, line by line; the last line is what comes out. */
import type { BillingStatement } from '@tracheon/core/contract';

type Sums = Pick<
  BillingStatement,
  'totalMicros' | 'adjustmentMicros' | 'adjustments' | 'carriedInMicros' | 'carriedOutMicros' | 'paidMicros'
>;

export function sumsOf(s: Sums, paid: string): [label: string, micros: string, isEnd: boolean][] {
  const fresh = (BigInt(s.totalMicros) - BigInt(s.adjustmentMicros)).toString();
  const all: [string, string, boolean][] = [
    ['New conversions', fresh, true],
    ['Adjustments of earlier statements', s.adjustmentMicros, s.adjustments > 0],
    ['Carried over from the last statement', s.carriedInMicros, s.carriedInMicros !== '0'],
    [
      'Carried over to the next statement',
      (-BigInt(s.carriedOutMicros)).toString(),
      s.carriedOutMicros !== '0',
    ],
    [paid, s.paidMicros, true],
  ];
  return all.flatMap(([label, micros, isShown]) => (isShown ? [[label, micros, label === paid]] : []));
}
