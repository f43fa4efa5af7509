/**
 * The verdict on a row of figures: cut, bid down, keep, bid up, or too early. It goes by visits that are old enough to have
 * converted, by the expected revenue, and never cuts before one payout is spent.
 */
import type { VerdictKind, VerdictRules } from '../contract/index.ts';
import { chanceOfProfit } from './chanceOfProfit.ts';

/** Of visits that are old enough. Amounts are in the desk's currency, in units and not in micro-units: chances are estimates. */
export interface Evidence {
  visits: number;
  /** null: the cost of no visit is known. */
  spent: number | null;
  expected: number;
  conversions: number;
}
/** What the row is judged by besides itself. */
export interface VerdictGround {
  /** Of a conversion, on average; null while nobody knows. */
  payout: number | null;
  /** Expected ÷ spent of everything around; null where nothing was earned there. */
  usualReturn: number | null;
  rules: VerdictRules;
}
export interface Verdict {
  kind: VerdictKind;
  spentPayouts: number | null;
  usualConversions: number | null;
  chance: number | null;
  moreVisits: number | null;
  /** Paid for a visit at which revenue covers cost; null where nothing was earned. */
  breakEven: number | null;
  /** What leaves the wanted ROI; only where the verdict names a bid. */
  bid: number | null;
}

/** Where nothing was earned so far, a row is as likely to earn as to lose before its own figures speak. */
const UNKNOWN_RETURN = 1;

export function verdictOn(evidence: Evidence, { payout, usualReturn, rules }: VerdictGround): Verdict {
  const { visits, spent, expected, conversions } = evidence;
  const breakEven = visits > 0 && expected > 0 ? expected / visits : null;
  const nothing = { usualConversions: null, chance: null, moreVisits: null, breakEven, bid: null };
  if (spent === null || spent <= 0 || visits <= 0) return { kind: 'no_cost', spentPayouts: null, ...nothing };
  if (payout === null || payout <= 0) return { kind: 'no_payout', spentPayouts: null, ...nothing };
  const seen: Seen = {
    spent: spent / payout,
    earned: expected / payout,
    conversions,
    usualReturn: usualReturn ?? UNKNOWN_RETURN,
  };
  const target = breakEven === null ? null : breakEven / (1 + rules.wantedRoi / 100);
  const kind = kindOf(seen, rules, target !== null && target > spent / visits);
  return {
    kind,
    spentPayouts: seen.spent,
    usualConversions: usualReturn === null ? null : usualReturn * seen.spent,
    chance: chanceOfProfit(seen),
    moreVisits: kind === 'too_early' ? moreVisits(seen, rules, visits) : null,
    breakEven,
    bid: kind === 'bid_down' || kind === 'bid_up' ? target : null,
  };
}

/** Cost and revenue in payouts. */
interface Seen {
  spent: number;
  earned: number;
  conversions: number;
  usualReturn: number;
}

function kindOf(seen: Seen, rules: VerdictRules, canBidMore: boolean): VerdictKind {
  const certain = certainKind(seen, rules);
  if (certain === 'bid_up' && !canBidMore) return 'keep';
  if (certain) return certain;
  if (seen.spent < rules.settledPayouts) return 'too_early';
  return seen.earned > 0 && seen.earned < seen.spent ? 'bid_down' : 'keep';
}

function certainKind(seen: Seen, rules: VerdictRules): 'cut' | 'bid_up' | null {
  if (seen.conversions === 0 && seen.spent >= rules.noConversionPayouts) return 'cut';
  if (seen.spent < rules.cutAfterPayouts) return null;
  const chance = chanceOfProfit(seen);
  if (chance * 100 < rules.cutBelow) return 'cut';
  const roi = (seen.earned / seen.spent - 1) * 100;
  if (rules.cutRoi !== null && seen.spent >= rules.settledPayouts && roi <= rules.cutRoi) return 'cut';
  return chance * 100 > rules.bidUpAbove ? 'bid_up' : null;
}

/** How finely the way to a verdict is looked at. */
const STEPS = 40;

/** Until enough is spent for any verdict, or for a certain one if it goes on like this; whichever comes first. */
function moreVisits(seen: Seen, rules: VerdictRules, visits: number): number {
  const most = rules.settledPayouts - seen.spent;
  // As far as one can tell by now: its own figures and those around it.
  const rate = (seen.usualReturn + seen.earned) / (1 + seen.spent);
  let more = most;
  for (let i = 1; i < STEPS; i++) {
    const further = (most * i) / STEPS;
    const spent = seen.spent + further;
    const earned = seen.earned + (seen.conversions === 0 ? 0 : rate * further);
    if (certainKind({ ...seen, spent, earned }, rules)) {
      more = further;
      break;
    }
  }
  return Math.max(1, Math.ceil((more / seen.spent) * visits));
}
