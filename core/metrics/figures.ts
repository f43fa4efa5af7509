/**
 * The figures from plain sums. Every screen, watch and export calls this and nothing else, so that a
 * total is the figure of the summed sums, never a sum of figures. Division by zero is null.
 */
import { isCounted, statusOf, type ConversionStatus, type Figures } from '../contract/index.ts';
import { divideRounded, type Micros } from '../money/index.ts';
import { amountsOf, countsOf, fromParts } from './fromParts.ts';
import type { FigureName, RevenueBasis } from './registry.ts';

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
  /** Of `spent`: as links told it, as feeds did, and as files did or somebody by hand. The rest is by models. */
  linkCost: Micros;
  feedCost: Micros;
  fileCost: Micros;
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
  /** Of `amount`, what a feed told as an estimate and has not confirmed. */
  estimated: Micros;
  /** What partners get for them, on hold or approved. */
  partner: Micros;
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

/** Made anew, to be added to. */
export const newVisits = (): VisitSums => ({
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
  linkCost: 0n,
  feedCost: 0n,
  fileCost: 0n,
  withoutCost: 0,
});
export const noVisits: VisitSums = newVisits();

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
/** Of an amount on hold: by the share that is approved. */
export const expectedOf = (amount: Micros, { approved, decided }: Approval): Micros =>
  decided === 0 ? amount : divideRounded(amount * BigInt(approved), BigInt(decided));

/** Counts of visits that add up. */
export const visitCounts = [
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

/** Amounts of visits that add up. */
export const visitCosts = ['spent', 'botCost', 'linkCost', 'feedCost', 'fileCost'] as const;

export function addSums(all: readonly Sums[]): Sums {
  const visits = newVisits();
  const unconverted = new Map<string, Unconverted>();
  for (const s of all) {
    for (const key of visitCounts) visits[key] += s.visits[key];
    for (const key of visitCosts) visits[key] += s.visits[key];
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

/** `only`: the figures that are made; the answer has no others. */
export function figures(
  sums: Sums,
  approval: ApprovalRate,
  basis: RevenueBasis = 'expected',
  only?: ReadonlySet<FigureName>,
): Figures {
  const { visits } = sums;
  let earned = 0n;
  let onHold = 0n;
  let expected = 0n;
  let estimated = 0n;
  let conversions = 0;
  let approved = 0;
  let decided = 0;
  let partner = 0n;
  const holdRates = new Map<string, Approval>();
  for (const c of sums.conversions) {
    const { balance, isDecided } = statusOf[c.status];
    if (c.countsAsConversion && isCounted(c.status)) conversions += c.count;
    if (c.status === 'approved') approved += c.count;
    if (isDecided) decided += c.count;
    // It is owed whatever the event type counts as.
    partner += c.partner;
    if (!c.countsAsRevenue) continue;
    if (balance === 'earn') {
      earned += c.amount;
      estimated += c.estimated;
    }
    if (balance !== 'hold') continue;
    onHold += c.amount;
    const rate = approval(c.offerId, c.networkId, c.eventTypeId);
    holdRates.set(rate.basis, rate);
    expected += expectedOf(c.amount, rate);
    estimated += expectedOf(c.estimated, rate);
  }
  expected += earned;
  // As long as one visit has a cost, what is missing is said beside it; where none has, there is no profit to speak of.
  const isCostUnknown = visits.visits > 0 && visits.withoutCost === visits.visits && partner === 0n;
  const spent = visits.spent + partner;
  const revenue = { expected, earned, all: earned + onHold }[basis];
  const unconverted = sums.unconverted
    .filter((u) => u.spent !== 0n || u.earned !== 0n || u.onHold !== 0n)
    .map((u) => ({
      currency: u.currency,
      spentMicros: u.spent.toString(),
      earnedMicros: u.earned.toString(),
      onHoldMicros: u.onHold.toString(),
    }));
  return fromParts(
    {
      counts: countsOf(visits, conversions, approved, decided),
      amounts: amountsOf(visits, {
        spent,
        partner,
        margin: revenue - partner,
        expected,
        estimated,
        earned,
        onHold,
        revenue,
        profit: isCostUnknown ? 0n : revenue - spent,
        knownRevenue: isCostUnknown ? 0n : revenue,
        knownSpent: isCostUnknown ? 0n : spent,
      }),
      isCostUnknown,
      holdRates: [...holdRates.values()],
      unconverted,
    },
    only,
  );
}

/**
 * Figures of several campaigns together, from theirs, on the basis of expected revenue: every sum is in them. A campaign whose cost is not known is left out
 * of profit and ROI, and is in all the rest; profit is null only where that leaves nothing.
 */
export function addFigures(all: readonly Figures[]): Figures {
  const visits = newVisits();
  const holdRates = new Map<string, Approval>();
  const unconverted = new Map<string, Figures['unconverted'][number]>();
  const sum = (pick: (f: Figures) => string): Micros => all.reduce((total, f) => total + BigInt(pick(f)), 0n);
  for (const f of all) {
    for (const key of visitCounts) visits[key] += f[key];
    for (const rate of f.holdRates) holdRates.set(rate.basis, rate);
    for (const u of f.unconverted) {
      const before = unconverted.get(u.currency);
      unconverted.set(u.currency, before ? addUnconverted(before, u) : u);
    }
  }
  const isCostUnknown = all.length > 0 && all.every((f) => f.profitMicros === null);
  const [spent, partner, expected] = [
    sum((f) => f.spentMicros),
    sum((f) => f.partnerMicros),
    sum((f) => f.expectedMicros),
  ];
  const withProfit = all.filter((f) => f.profitMicros !== null);
  const number = (pick: (f: Figures) => number): number => all.reduce((n, f) => n + pick(f), 0);
  const costs = {
    spent: spent - partner,
    botCost: sum((f) => f.botCostMicros),
    linkCost: sum((f) => f.linkCostMicros),
    feedCost: sum((f) => f.feedCostMicros),
    fileCost: sum((f) => f.fileCostMicros),
  };
  return fromParts({
    counts: countsOf(
      visits,
      number((f) => f.conversions),
      number((f) => f.approved),
      number((f) => f.decided),
    ),
    amounts: amountsOf(costs, {
      spent,
      partner,
      margin: expected - partner,
      expected,
      estimated: sum((f) => f.estimatedMicros),
      earned: sum((f) => f.earnedMicros),
      onHold: sum((f) => f.onHoldMicros),
      revenue: expected,
      profit: withProfit.reduce((total, f) => total + BigInt(f.profitMicros!), 0n),
      knownRevenue: withProfit.reduce((total, f) => total + BigInt(f.expectedMicros), 0n),
      knownSpent: withProfit.reduce((total, f) => total + BigInt(f.spentMicros), 0n),
    }),
    isCostUnknown,
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
