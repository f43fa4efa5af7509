/**
 * What a test costs and when it can be judged, before a cent is spent. Money in micro-units of one currency; a guess of
 * the share of visits that convert makes the answer sharper, and is never needed.
 */
export interface BudgetAsked {
  payoutMicros: bigint;
  /** Payouts that a day of testing may cost. */
  factor: number;
  /** What is paid for a visit; 0 when it is not known. */
  bidMicros: bigint;
  /** Guessed share of visits that convert; 0 for none. */
  cr: number;
  /** Clicks that the source bills for each one that arrives, and its fee as a share on top. */
  billedPerArrived: number;
  fee: number;
}
export interface BudgetTold {
  perDayMicros: bigint;
  /** null while no bid is known. */
  visitsPerDay: number | null;
  /** Share of visits that must convert for a visit to pay for itself; null while no bid is known. */
  breakEvenCr: number | null;
  /**
   * Days after which a chain that never converts is known to lose: with no conversion in that many visits, the share is
   * below break-even with 95 % certainty. null while no bid is known.
   */
  daysToCut: number | null;
  /** Days after which a chain that converts as guessed is told from one that just breaks even; null without bid or guess. */
  daysToKeep: number | null;
  /** The bid at which a visit that converts as guessed pays for itself; null without a guess. */
  breakEvenBidMicros: bigint | null;
}
/** −ln 0.05: with an expectation of three conversions, seeing none has a chance of 5 %. */
const NONE_AT_95 = 2.996;
/** One-sided 95 % of the normal distribution. */
const Z_95 = 1.645;
const MAX_DAYS = 365;

export function budget(asked: BudgetAsked): BudgetTold {
  const { payoutMicros, bidMicros, cr, factor } = asked;
  const perDayMicros = scaled(payoutMicros, factor);
  // What a visit that arrives really costs.
  const perVisit = Number(bidMicros) * asked.billedPerArrived * (1 + asked.fee);
  const payout = Number(payoutMicros);
  const hasBid = perVisit > 0 && payout > 0;
  const visitsPerDay = hasBid ? Number(perDayMicros) / perVisit : null;
  const breakEvenCr = hasBid ? perVisit / payout : null;
  const days = (visits: number): number | null =>
    visitsPerDay === null || visitsPerDay <= 0 ? null : Math.min(MAX_DAYS, visits / visitsPerDay);
  return {
    perDayMicros,
    visitsPerDay: visitsPerDay === null ? null : Math.floor(visitsPerDay),
    breakEvenCr,
    daysToCut: breakEvenCr === null ? null : days(NONE_AT_95 / breakEvenCr),
    daysToKeep: breakEvenCr === null || cr <= 0 ? null : days(visitsToTell(cr, breakEvenCr)),
    breakEvenBidMicros:
      cr <= 0 ? null : BigInt(Math.floor((payout * cr) / (asked.billedPerArrived * (1 + asked.fee)))),
  };
}

/** Visits after which two shares of conversion differ by more than chance; Poisson counts, both of them uncertain. */
function visitsToTell(cr: number, breakEven: number): number {
  const apart = Math.abs(cr - breakEven);
  return apart === 0 ? Infinity : (Z_95 * Z_95 * Math.max(cr, breakEven)) / (apart * apart);
}

/** Times a number with a few decimals, exactly to the thousandth. */
const scaled = (micros: bigint, factor: number): bigint =>
  (micros * BigInt(Math.round(factor * 1000))) / 1000n;
