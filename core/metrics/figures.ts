/**
 * The figures from plain sums. Every screen, watch and export calls this and nothing else, so that a
 * total is the figure of the summed sums, never a sum of figures. Division by zero is null.
 */
import { isCounted, statusOf, type ConversionStatus, type Figures } from '../contract/index.ts';
import type { Micros } from '../money/index.ts';

export interface VisitSums {
  /** Without bots, repeats and tests. */
  visits: number;
  unique: number;
  bots: number;
  repeats: number;
  tests: number;
  sentToPage: number;
  /** Visits with a click on a button of their page. */
  buttonClicks: number;
  /** Direct visits and visits with a button click. */
  sentToOffer: number;
  /** Bots' cost included; tests cost nothing. */
  spent: Micros;
  botCost: Micros;
  /** Of `visits`, those whose cost is not known. */
  withoutCost: number;
}
export interface ConversionSums {
  offerId: string;
  networkId: string;
  eventTypeId: string;
  status: ConversionStatus;
  countsAsConversion: boolean;
  countsAsRevenue: boolean;
  count: number;
  /** In the desk's currency. */
  amount: Micros;
}
export interface Unconverted {
  currency: string;
  spent: Micros;
  earned: Micros;
  onHold: Micros;
}
export interface Sums {
  visits: VisitSums;
  conversions: ConversionSums[];
  unconverted: Unconverted[];
}

export const noVisits: VisitSums = {
  visits: 0,
  unique: 0,
  bots: 0,
  repeats: 0,
  tests: 0,
  sentToPage: 0,
  buttonClicks: 0,
  sentToOffer: 0,
  spent: 0n,
  botCost: 0n,
  withoutCost: 0,
};

/** Decided conversions that an offer's event type needs before its own approval rate is used. */
export const MIN_DECIDED = 30;
export interface ApprovalRow {
  offerId: string;
  networkId: string;
  eventTypeId: string;
  approved: number;
  decided: number;
}
/** A share of approved conversions, and whose it is. Nothing decided anywhere counts as all approved. */
export interface Approval {
  basis: string;
  approved: number;
  decided: number;
}
export type ApprovalRate = (offerId: string, networkId: string, eventTypeId: string) => Approval;

/** Approval of an offer's event type; its network's until 30 are decided; all of it while nothing is decided there. */
export function approvalRates(rows: readonly ApprovalRow[]): ApprovalRate {
  const all = new Map<string, Approval>();
  for (const row of rows)
    // A conversion of a visit that was sent to a fallback address has no offer.
    for (const owner of [row.offerId, row.networkId].filter(Boolean)) {
      const basis = `${owner}|${row.eventTypeId}`;
      const sum = all.get(basis) ?? { basis, approved: 0, decided: 0 };
      sum.approved += row.approved;
      sum.decided += row.decided;
      all.set(basis, sum);
    }
  return (offerId, networkId, eventTypeId) => {
    const own = all.get(`${offerId}|${eventTypeId}`);
    if (own && own.decided >= MIN_DECIDED) return own;
    const basis = `${networkId}|${eventTypeId}`;
    return all.get(basis) ?? { basis, approved: 0, decided: 0 };
  };
}
const expectedOf = (amount: Micros, { approved, decided }: Approval): Micros =>
  decided === 0 ? amount : divide(amount * BigInt(approved), BigInt(decided));

const COUNTS = [
  'visits',
  'unique',
  'bots',
  'repeats',
  'tests',
  'sentToPage',
  'buttonClicks',
  'sentToOffer',
  'withoutCost',
] as const;

export function addSums(all: readonly Sums[]): Sums {
  const visits = { ...noVisits };
  const unconverted = new Map<string, Unconverted>();
  for (const s of all) {
    for (const key of COUNTS) visits[key] += s.visits[key];
    visits.spent += s.visits.spent;
    visits.botCost += s.visits.botCost;
    for (const u of s.unconverted) {
      const sum = unconverted.get(u.currency) ?? { currency: u.currency, spent: 0n, earned: 0n, onHold: 0n };
      sum.spent += u.spent;
      sum.earned += u.earned;
      sum.onHold += u.onHold;
      unconverted.set(u.currency, sum);
    }
  }
  return { visits, conversions: all.flatMap((s) => s.conversions), unconverted: [...unconverted.values()] };
}

const ratio = (a: number, b: number): number | null => (b === 0 ? null : a / b);
const share = (a: Micros, b: Micros): number | null => (b === 0n ? null : Number(a) / Number(b));
const each = (a: Micros, n: number): string | null => (n === 0 ? null : divide(a, BigInt(n)).toString());
/** Integer division, half away from zero. */
function divide(a: Micros, n: bigint): Micros {
  const [abs, sign] = a < 0n ? [-a, -1n] : [a, 1n];
  return (sign * (2n * abs + n)) / (2n * n);
}

/** What all figures are made of; each adds up over campaigns and days. */
interface Parts {
  visits: VisitSums;
  earned: Micros;
  onHold: Micros;
  expected: Micros;
  /** Of what has a known cost; null where nothing has. */
  known: { expected: Micros; spent: Micros } | null;
  conversions: number;
  approved: number;
  decided: number;
  holdRates: Approval[];
  unconverted: Figures['unconverted'];
}

export function figures(sums: Sums, approval: ApprovalRate): Figures {
  const { visits } = sums;
  let earned = 0n;
  let onHold = 0n;
  let expected = 0n;
  let conversions = 0;
  let approved = 0;
  let decided = 0;
  const holdRates = new Map<string, Approval>();
  for (const c of sums.conversions) {
    const { balance, isDecided } = statusOf[c.status];
    if (c.countsAsConversion && isCounted(c.status)) conversions += c.count;
    if (c.status === 'approved') approved += c.count;
    if (isDecided) decided += c.count;
    if (!c.countsAsRevenue) continue;
    if (balance === 'earn') earned += c.amount;
    if (balance !== 'hold') continue;
    onHold += c.amount;
    const rate = approval(c.offerId, c.networkId, c.eventTypeId);
    holdRates.set(rate.basis, rate);
    expected += expectedOf(c.amount, rate);
  }
  expected += earned;
  // As long as one visit has a cost, what is missing is said beside it; where none has, there is no profit to speak of.
  const isCostUnknown = visits.visits > 0 && visits.withoutCost === visits.visits;
  const unconverted = sums.unconverted
    .filter((u) => u.spent !== 0n || u.earned !== 0n || u.onHold !== 0n)
    .map((u) => ({
      currency: u.currency,
      spentMicros: u.spent.toString(),
      earnedMicros: u.earned.toString(),
      onHoldMicros: u.onHold.toString(),
    }));
  return fromParts({
    visits,
    earned,
    onHold,
    expected,
    known: isCostUnknown ? null : { expected, spent: visits.spent },
    conversions,
    approved,
    decided,
    holdRates: [...holdRates.values()],
    unconverted,
  });
}

function fromParts(p: Parts): Figures {
  const { visits: v, expected } = p;
  const profit = p.known && p.known.expected - p.known.spent;
  return {
    profitMicros: profit?.toString() ?? null,
    roi: profit === null ? null : share(profit, p.known!.spent),
    spentMicros: v.spent.toString(),
    botCostMicros: v.botCost.toString(),
    withoutCost: v.withoutCost,
    expectedMicros: expected.toString(),
    earnedMicros: p.earned.toString(),
    onHoldMicros: p.onHold.toString(),
    visits: v.visits,
    unique: v.unique,
    bots: v.bots,
    repeats: v.repeats,
    tests: v.tests,
    sentToPage: v.sentToPage,
    buttonClicks: v.buttonClicks,
    pageCtr: ratio(v.buttonClicks, v.sentToPage),
    sentToOffer: v.sentToOffer,
    conversions: p.conversions,
    cr: ratio(p.conversions, v.visits),
    approved: p.approved,
    decided: p.decided,
    approval: ratio(p.approved, p.decided),
    holdRates: p.holdRates,
    paidPerVisitMicros: each(v.spent, v.visits - v.withoutCost),
    earnedPerVisitMicros: each(expected, v.visits),
    earnedPerOfferClickMicros: each(expected, v.sentToOffer),
    unconverted: p.unconverted,
  };
}

/**
 * Figures of several campaigns together, from theirs: every sum is in them. A campaign whose cost is not known is left out
 * of profit and ROI, and is in all the rest; profit is null only where that leaves nothing.
 */
export function addFigures(all: readonly Figures[]): Figures {
  const visits = { ...noVisits };
  const holdRates = new Map<string, Approval>();
  const unconverted = new Map<string, Figures['unconverted'][number]>();
  const sum = (pick: (f: Figures) => string): Micros => all.reduce((total, f) => total + BigInt(pick(f)), 0n);
  for (const f of all) {
    for (const key of COUNTS) visits[key] += f[key];
    for (const rate of f.holdRates) holdRates.set(rate.basis, rate);
    for (const u of f.unconverted) {
      const before = unconverted.get(u.currency);
      unconverted.set(u.currency, before ? addUnconverted(before, u) : u);
    }
  }
  visits.spent = sum((f) => f.spentMicros);
  visits.botCost = sum((f) => f.botCostMicros);
  const withProfit = all.filter((f) => f.profitMicros !== null);
  const known = {
    expected: withProfit.reduce((total, f) => total + BigInt(f.expectedMicros), 0n),
    spent: withProfit.reduce((total, f) => total + BigInt(f.spentMicros), 0n),
  };
  return fromParts({
    visits,
    earned: sum((f) => f.earnedMicros),
    onHold: sum((f) => f.onHoldMicros),
    expected: sum((f) => f.expectedMicros),
    known: all.length > 0 && withProfit.length === 0 ? null : known,
    conversions: all.reduce((n, f) => n + f.conversions, 0),
    approved: all.reduce((n, f) => n + f.approved, 0),
    decided: all.reduce((n, f) => n + f.decided, 0),
    holdRates: [...holdRates.values()],
    unconverted: [...unconverted.values()],
  });
}

type OneUnconverted = Figures['unconverted'][number];
const addTexts = (a: string, b: string): string => (BigInt(a) + BigInt(b)).toString();
const addUnconverted = (a: OneUnconverted, b: OneUnconverted): OneUnconverted => ({
  currency: a.currency,
  spentMicros: addTexts(a.spentMicros, b.spentMicros),
  earnedMicros: addTexts(a.earnedMicros, b.earnedMicros),
  onHoldMicros: addTexts(a.onHoldMicros, b.onHoldMicros),
});
