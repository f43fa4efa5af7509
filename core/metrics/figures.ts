/**
 * The figures from plain sums. Every screen, watch and export calls this and nothing else, so that a
 * total is the figure of the summed sums, never a sum of figures. Division by zero is null.
 */
import type { ConversionStatus, Figures } from '../contract/index.ts';
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
export type ApprovalRate = (
  offerId: string,
  networkId: string,
  eventTypeId: string,
) => [approved: number, decided: number];

/** Approval of an offer's event type; its network's until 30 are decided; all of it while nothing is decided there. */
export function approvalRates(rows: readonly ApprovalRow[]): ApprovalRate {
  const add = (map: Map<string, [number, number]>, key: string, row: ApprovalRow): void => {
    const [a, d] = map.get(key) ?? [0, 0];
    map.set(key, [a + row.approved, d + row.decided]);
  };
  const offers = new Map<string, [number, number]>();
  const networks = new Map<string, [number, number]>();
  for (const row of rows) {
    add(offers, `${row.offerId}|${row.eventTypeId}`, row);
    add(networks, `${row.networkId}|${row.eventTypeId}`, row);
  }
  return (offerId, networkId, eventTypeId) => {
    const own = offers.get(`${offerId}|${eventTypeId}`);
    if (own && own[1] >= MIN_DECIDED) return own;
    const wide = networks.get(`${networkId}|${eventTypeId}`);
    return wide && wide[1] > 0 ? wide : [1, 1];
  };
}

const COUNTS = [
  'visits',
  'unique',
  'bots',
  'repeats',
  'tests',
  'sentToPage',
  'buttonClicks',
  'sentToOffer',
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

export function figures(sums: Sums, approval: ApprovalRate): Figures {
  const { visits: v } = sums;
  let earned = 0n;
  let onHold = 0n;
  let expected = 0n;
  let conversions = 0;
  let approved = 0;
  let decided = 0;
  for (const c of sums.conversions) {
    if (c.countsAsConversion && (c.status === 'pending' || c.status === 'approved')) conversions += c.count;
    if (c.status === 'approved') approved += c.count;
    if (c.status !== 'pending') decided += c.count;
    if (!c.countsAsRevenue) continue;
    if (c.status === 'approved') earned += c.amount;
    if (c.status !== 'pending') continue;
    onHold += c.amount;
    const [a, d] = approval(c.offerId, c.networkId, c.eventTypeId);
    expected += divide(c.amount * BigInt(a), BigInt(d));
  }
  expected += earned;
  const profit = expected - v.spent;
  return {
    profitMicros: profit.toString(),
    roi: share(profit, v.spent),
    spentMicros: v.spent.toString(),
    botCostMicros: v.botCost.toString(),
    expectedMicros: expected.toString(),
    earnedMicros: earned.toString(),
    onHoldMicros: onHold.toString(),
    visits: v.visits,
    unique: v.unique,
    bots: v.bots,
    repeats: v.repeats,
    tests: v.tests,
    sentToPage: v.sentToPage,
    buttonClicks: v.buttonClicks,
    pageCtr: ratio(v.buttonClicks, v.sentToPage),
    sentToOffer: v.sentToOffer,
    conversions,
    cr: ratio(conversions, v.visits),
    approval: ratio(approved, decided),
    paidPerVisitMicros: each(v.spent, v.visits),
    earnedPerVisitMicros: each(expected, v.visits),
    earnedPerOfferClickMicros: each(expected, v.sentToOffer),
    unconverted: sums.unconverted
      .filter((u) => u.spent !== 0n || u.earned !== 0n || u.onHold !== 0n)
      .map((u) => ({
        currency: u.currency,
        spentMicros: u.spent.toString(),
        earnedMicros: u.earned.toString(),
        onHoldMicros: u.onHold.toString(),
      })),
  };
}
