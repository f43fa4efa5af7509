/**
 * A conversion is a fold over all its judged receipts.
 *
 * Order: changed_time, else received; then received; then receipt ID. Law: the same stored receipts, judged in
 * any order, batching or repetition, give the same conversions, balances and postbacks out. It holds because nothing
 * here looks at what was booked before: grouping and folding start from the whole stored set each time, and the
 * caller books only the difference.
 *
 * Moves: pending → approved, rejected, reversed; approved → reversed, rejected; rejected → approved;
 * reversed → approved; approved → pending and rejected → pending only with changed_time. Others are kept and
 * flagged, not applied.
 */
import { isTakenBack, statusOf, type ConversionStatus } from '../contract/index.ts';
import { MAX_AMOUNT_MICROS, type Micros } from '../money/index.ts';
import type { FoldedConversion, FoldedOwner, FoldRules, Signal, SignalVerdict } from './folded.ts';
import type { Transition } from './transition.ts';
import { PartnerFold, type PartnerSide } from './partnerPayout.ts';

/** Identical calls this close together are one, where an event type repeats and nothing else tells them apart. */
export const REPEAT_WINDOW_MS = 10 * 60 * 1000;

const momentOf = ({ changedTime, receivedAt }: Signal): number => changedTime ?? receivedAt;

export function compareSignals(a: Signal, b: Signal): number {
  return (
    momentOf(a) - momentOf(b) ||
    a.receivedAt - b.receivedAt ||
    (a.receiptId < b.receiptId ? -1 : a.receiptId > b.receiptId ? 1 : 0)
  );
}

interface Group {
  ident: string;
  signals: Signal[];
}

/** All conversions of one owner and event type from all their signals. */
export function foldOwner(signals: readonly Signal[], rules: FoldRules): FoldedOwner {
  const verdicts: FoldedOwner['verdicts'] = new Map();
  const groups = group([...signals].sort(compareSignals), rules, verdicts);
  return { conversions: groups.map((g) => foldConversion(g.ident, g.signals, rules, verdicts)), verdicts };
}

function group(sorted: Signal[], rules: FoldRules, verdicts: FoldedOwner['verdicts']): Group[] {
  const groups: Group[] = [];
  for (const signal of sorted) {
    if (signal.about !== null) {
      const meant = groups.find((g) => g.signals.some((s) => s.receiptId === signal.about));
      if (meant) meant.signals.push(signal);
      else verdicts.set(signal.receiptId, { verdict: 'nothing_to_change', ident: null, notes: [] });
      continue;
    }
    if (!rules.repeats && signal.transaction === '' && groups.length > 1) {
      verdicts.set(signal.receiptId, { verdict: 'several_matches', ident: null, notes: [] });
      continue;
    }
    const found = rules.repeats ? findRepeating(groups, signal) : findSingle(groups, signal);
    if (found) {
      found.signals.push(signal);
      if (!rules.repeats && signal.transaction !== '' && found.ident === '')
        found.ident = identOf(signal, rules);
      continue;
    }
    if ((signal.conversionTime ?? signal.receivedAt) > rules.windowEnd) {
      verdicts.set(signal.receiptId, { verdict: 'outside_window', ident: null, notes: [] });
      continue;
    }
    groups.push({ ident: identOf(signal, rules), signals: [signal] });
  }
  return groups;
}

/** `t:` transaction, `c:` conversion time, `r:` first receipt, or empty; the prefix keeps the four apart. */
function identOf(signal: Signal, rules: FoldRules): string {
  if (signal.transaction !== '') return `t:${signal.transaction}`;
  if (!rules.repeats) return '';
  return signal.conversionTime === null ? `r:${signal.receiptId}` : `c:${signal.conversionTime}`;
}

/** Where repeats are not allowed, what has no transaction belongs to the owner's only one; a first transaction adopts it. */
function findSingle(groups: Group[], signal: Signal): Group | undefined {
  if (signal.transaction === '') return groups[0];
  const ident = `t:${signal.transaction}`;
  return groups.find((g) => g.ident === ident) ?? groups.find((g) => g.ident === '');
}

function findRepeating(groups: Group[], signal: Signal): Group | undefined {
  if (signal.transaction !== '') return groups.find((g) => g.ident === `t:${signal.transaction}`);
  if (signal.conversionTime !== null) return groups.find((g) => g.ident === `c:${signal.conversionTime}`);
  return groups.find((g) => {
    const first = g.signals[0]!;
    return (
      g.ident.startsWith('r:') &&
      sameSaying(first, signal) &&
      signal.receivedAt - first.receivedAt <= REPEAT_WINDOW_MS
    );
  });
}

const sameSaying = (a: Signal, b: Signal): boolean =>
  a.status === b.status && a.payout === b.payout && a.currency === b.currency;

function mayMove(from: ConversionStatus, { status, changedTime }: Signal): boolean {
  const { moves, movesWhenTimed } = statusOf[from];
  return (
    from === status || moves.includes(status) || (changedTime !== null && movesWhenTimed.includes(status))
  );
}

interface Standing {
  status: ConversionStatus;
  payout: Micros;
  currency: string;
}

function foldConversion(
  ident: string,
  signals: Signal[],
  given: FoldRules,
  verdicts: FoldedOwner['verdicts'],
): FoldedConversion {
  const had = new Set<string>();
  const timed = new Set<string>();
  const flags = new Set<string>();
  const transitions: Transition[] = [];
  let now: Standing | null = null;
  let noted: FoldedConversion['noted'] = null;
  // A fixed amount that was changed by hand stays as it was changed.
  let rules = given;
  const partner = given.partner && new PartnerFold(given.partner);
  for (const signal of signals) {
    if (signal.partnerSide !== null) {
      const verdict = reviewVerdict(partner, signal.partnerSide, signal.status);
      verdicts.set(signal.receiptId, { verdict, ident, notes: [] });
      partner?.note(signal.receiptId, momentOf(signal));
      continue;
    }
    const notes: string[] = [];
    const next = standingAfter(now, signal, rules, notes);
    // In difference mode the sum moves on, so what was said is compared, not what it came to.
    const key = rules.payoutMeans === 'difference' ? saying(signal) : standingKey(next);
    const timedKey = `${signal.changedTime}|${saying(signal)}`;
    let verdict: SignalVerdict;
    if (isTooLarge(next.payout)) verdict = 'amount_too_large';
    else if (now !== null && (signal.changedTime === null ? had.has(key) : timed.has(timedKey)))
      verdict = 'duplicate';
    else if (now !== null && !mayMove(now.status, signal)) verdict = 'move_not_allowed';
    else if (now !== null && standingKey(next) === standingKey(now)) verdict = 'duplicate';
    else {
      verdict = now === null ? 'accepted' : 'updated';
      const at = momentOf(signal);
      const { status, payout, currency } = next;
      transitions.push({
        receiptId: signal.receiptId,
        at,
        before: now?.status ?? null,
        status,
        payout,
        currency,
      });
      now = next;
      partner?.advertiser(now, at);
      if (isAmountByHand(signal) && rules.fixedPayout !== null)
        rules = { ...rules, fixedPayout: next.payout, currency: next.currency };
    }
    if (verdict === 'move_not_allowed' || verdict === 'amount_too_large') flags.add(verdict);
    else {
      had.add(key);
      // Also where nothing else is new: it may have been forgotten before.
      if (signal.sale !== null) partner?.sale(signal.sale);
    }
    partner?.note(signal.receiptId, momentOf(signal));
    if (notes.includes('payout_noted') && verdict !== 'move_not_allowed')
      noted = { payout: signal.payout!, currency: signal.currency ?? next.currency };
    if (signal.changedTime !== null) timed.add(timedKey);
    for (const note of notes) if (note === 'no_payout' || note === 'payout_differs') flags.add(note);
    verdicts.set(signal.receiptId, { verdict, ident, notes });
  }
  // No single amount is too large, so the first signal always stands.
  const end = now!;
  if (end.payout !== 0n || rules.fixedPayout !== null) flags.delete('no_payout');
  const convertedAt = conversionMoment(signals);
  if (partner?.isSaleMissing) flags.add('no_sale');
  return {
    ident,
    status: end.status,
    payout: end.payout,
    currency: end.currency,
    convertedAt,
    noted,
    partner: partner?.end(convertedAt) ?? null,
    receiptIds: signals.map((s) => s.receiptId),
    transitions,
    flags: [...flags].sort(),
  };
}

function reviewVerdict(
  partner: PartnerFold | null,
  side: PartnerSide,
  status: ConversionStatus,
): SignalVerdict {
  if (!partner) return 'no_partner_payout';
  return partner.review(side, status) ? 'payout_reviewed' : 'duplicate';
}

function standingAfter(now: Standing | null, signal: Signal, rules: FoldRules, notes: string[]): Standing {
  const status = signal.status;
  const takenBack = isTakenBack(status);
  if (now !== null && isAmountByHand(signal) && !takenBack)
    return { status, payout: signal.payout!, currency: signal.currency ?? now.currency };
  if (rules.fixedPayout !== null) {
    if (signal.payout !== null && signal.payout !== rules.fixedPayout && !takenBack)
      notes.push('payout_differs');
    return { status, payout: rules.fixedPayout, currency: rules.currency };
  }
  // On rejected or reversed an amount is noted only; what stood stays, and leaves the balance with the status.
  if (now !== null && (takenBack || signal.payout === null)) {
    if (takenBack && signal.payout !== null && signal.payout !== now.payout) notes.push('payout_noted');
    const currency = takenBack || signal.payout === null ? now.currency : (signal.currency ?? now.currency);
    return { status, payout: now.payout, currency };
  }
  if (takenBack && signal.payout !== null) notes.push('payout_noted');
  const reported = (takenBack ? null : signal.payout) ?? rules.defaultPayout;
  if (reported === null && !takenBack) notes.push('no_payout');
  const amount = reported ?? 0n;
  const payout = rules.payoutMeans === 'difference' && now !== null ? now.payout + amount : amount;
  return { status, payout, currency: signal.currency ?? now?.currency ?? rules.currency };
}

/** A member writes the whole amount, also where the network reports differences. */
const isAmountByHand = ({ about, payout }: Signal): boolean => about !== null && payout !== null;
const isTooLarge = (sum: Micros): boolean => sum > MAX_AMOUNT_MICROS || -sum > MAX_AMOUNT_MICROS;
const standingKey = (s: Standing): string => `${s.status}|${s.payout}|${s.currency}`;
const saying = (s: Signal): string => `${s.status}|${s.payout ?? ''}|${s.currency ?? ''}`;

/** The earliest told conversion_time in fold order; else the first receipt. */
function conversionMoment(signals: Signal[]): number {
  const told = signals.find((s) => s.conversionTime !== null)?.conversionTime;
  return told ?? Math.min(...signals.map((s) => s.receivedAt));
}
