/** How late conversions come: the share of an offer's conversions that are there so many hours after the visit. */

/** The curve counts all conversions that come later than this many hours after the visit as one. */
export const DELAY_HOURS = 168;
/** Conversions that an offer, or its network, needs before its own delays are used. */
export const MIN_DELAYS = 30;
/** While nothing is known: 80 % within a day, in the same pace from hour to hour. */
const UNKNOWN_SHARE = 0.8;
const UNKNOWN_HOURS = 24;

export interface DelayRow {
  offerId: string;
  networkId: string;
  /** Whole hours between visit and conversion. */
  hours: number;
  count: number;
}
/** Share of conversions that have come within so many hours, from 0 to 1. */
export type DelayCurve = (hours: number) => number;
export type DelayCurves = (offerId: string, networkId: string) => DelayCurve;

const unknownCurve: DelayCurve = (hours) => 1 - (1 - UNKNOWN_SHARE) ** (Math.max(0, hours) / UNKNOWN_HOURS);

/** The offer's own curve; under 30 conversions its network's, then the desk's; none: 80 % within 24 hours. */
export function delayCurves(rows: readonly DelayRow[]): DelayCurves {
  const counts = new Map<string, Float64Array>();
  const add = (owner: string, { hours, count }: DelayRow): void => {
    let sums = counts.get(owner);
    if (!sums) counts.set(owner, (sums = new Float64Array(DELAY_HOURS + 1)));
    sums[Math.min(DELAY_HOURS, Math.max(0, Math.floor(hours)))]! += count;
  };
  for (const row of rows) for (const owner of new Set([row.offerId, row.networkId, DESK])) add(owner, row);
  const curves = new Map([...counts].map(([owner, sums]) => [owner, curveOf(sums)]));
  return (offerId, networkId) =>
    curves.get(offerId) ?? curves.get(networkId) ?? curves.get(DESK) ?? unknownCurve;
}
/** Stands for all of them; no record has it for its ID. */
const DESK = '*';

/** undefined for too few. What came later than DELAY_HOURS counts to the whole. */
function curveOf(sums: Float64Array): DelayCurve | undefined {
  const total = sums.reduce((a, b) => a + b, 0);
  if (total < MIN_DELAYS) return undefined;
  let seen = 0;
  const shares = [...sums].map((n) => (seen += n) / total);
  return (hours) => (hours <= 0 ? 0 : hours > DELAY_HOURS ? 1 : shares[Math.ceil(hours) - 1]!);
}

/** Visits of fewer hours say little: most of their conversions have yet to come. */
export const SETTLED_SHARE = 0.8;
/** Hours after a visit within which that share of conversions comes, whole and at least 1. */
export function settledHours(curve: DelayCurve): number {
  for (let hours = 1; hours < DELAY_HOURS; hours++) if (curve(hours) >= SETTLED_SHARE - 1e-9) return hours;
  return DELAY_HOURS;
}
