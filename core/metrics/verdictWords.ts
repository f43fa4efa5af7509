/** A verdict in words, and the reason beside it: one wording for screens, exports and notices. */
import type { VerdictAnswer, VerdictKind } from '../contract/index.ts';

export const verdictLabels: Record<VerdictKind, string> = {
  cut: 'cut',
  bid_down: 'bid down',
  keep: 'keep',
  bid_up: 'bid up',
  too_early: 'too early',
  no_cost: 'no verdict',
  no_payout: 'no verdict',
};

/** `bid` writes an amount of micro-units in the unit in which the source bills. */
export function verdictWords(verdict: VerdictAnswer, bid: (micros: string) => string): string {
  const label = verdictLabels[verdict.kind];
  if (verdict.bidMicros !== null) return `${label} to ${bid(verdict.bidMicros)}`;
  if (verdict.moreVisits !== null) return `${label}, about ${rounded(verdict.moreVisits)} more visits`;
  return label;
}

/** Two figures are all that an estimate of visits can claim. */
const rounded = (n: number): string =>
  (n < 100 ? n : Math.round(n / 10 ** (String(n).length - 2)) * 10 ** (String(n).length - 2))
    .toString()
    .replace(/\B(?=(\d{3})+$)/g, ' ');

const percent = (share: number): string => {
  const p = share * 100;
  return p > 0 && p < 1 ? 'under 1 %' : p > 99 && p < 100 ? 'over 99 %' : `${Math.round(p)} %`;
};
const countOf = (n: number): string =>
  n === 0 ? 'no conversion' : n === 1 ? '1 conversion' : `${n} conversions`;

/** One short line. */
export function verdictReason(v: VerdictAnswer): string {
  const spent = v.spentPayouts === null ? '' : `spent ${v.spentPayouts.toFixed(1)} payouts`;
  const share = Number(v.expectedMicros) / Number(v.spentMicros);
  switch (v.kind) {
    case 'cut':
      return v.conversions > 0 && v.usualConversions !== null && v.usualConversions >= 1
        ? `${spent}, ${countOf(v.conversions)} where about ${Math.round(v.usualConversions)} are usual`
        : `${spent}, ${countOf(v.conversions)}`;
    case 'bid_down':
      return `earns ${percent(share)} of what it costs`;
    case 'keep':
      return `earns ${percent(share)} of what it costs`;
    case 'bid_up':
      return `${percent(v.chance ?? 0)} sure that it earns`;
    case 'too_early':
      return `${spent}, ${countOf(v.conversions)}`;
    case 'no_cost':
      return 'no known cost of visits that are old enough';
    case 'no_payout':
      return 'no conversion and no payout known yet';
  }
}
