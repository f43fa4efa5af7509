/** Folds owners anew with what was read just now, and gathers what has changed. */
import { setImmediate as turn } from 'node:timers/promises';
import type { PostbackOutcome, PostbackReason } from '@tracheon/core/contract';
import {
  repairKey,
  type EventTypeRule,
  type FoldedConversion,
  type PostbackReading,
  type SignalVerdict,
} from '@tracheon/core/conversions';
import type { Pipelined } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import { book, type Bookings } from './book.ts';
import {
  ownedOutcomes,
  ownerKey,
  readingRow,
  storedReading,
  waitingOf,
  type Judgement,
  type OwnedOutcome,
} from './outcomes.ts';
import type { OwningVisit } from './owningVisit.ts';
import { foldsOf, type OwnerFold } from './ownerFold.ts';
import { loadStandings, nothingStands } from './standing.ts';

/** A receipt that was read just now. */
interface Fresh {
  receipt: ReceiptRecord;
  reading: PostbackReading;
  /** Nothing was said of it before. */
  isNew: boolean;
}
export interface ToSettle {
  visit: OwningVisit;
  eventType: EventTypeRule;
  callingNetwork: string;
  /** The receipt that is judged. */
  cause: string;
  fresh: Fresh[];
  /** Receipts that belong to another owner from now on. */
  left: Set<string>;
}

/** Folded in one go; between two of them others of the process have their turn. */
const AT_A_TIME = 16;

/** What is said of those that were read just now, by receipt. */
export async function settleOwners(
  client: Pipelined,
  bookings: Bookings,
  owners: readonly ToSettle[],
): Promise<Map<string, Judgement>> {
  const said = new Map<string, Judgement>();
  if (owners.length === 0) return said;
  const visits = owners.map((o) => o.visit);
  const [stored, standings] = await Promise.all([
    ownedOutcomes(client, visits),
    loadStandings(client, visits),
  ]);
  const keys = owners.map(({ visit, eventType }) =>
    ownerKey(visit.deskId, { visitId: visit.id, eventTypeId: eventType.id }),
  );
  const folds = await foldsOf(
    client,
    owners.map((owner, i) => {
      const { visit, eventType, callingNetwork } = owner;
      return { visit, eventType, callingNetwork, all: withFresh(stored.get(keys[i]!) ?? [], owner) };
    }),
  );
  for (const [i, owner] of owners.entries()) {
    if (i % AT_A_TIME === AT_A_TIME - 1) await turn();
    const standing = standings.get(keys[i]!) ?? nothingStands();
    const fold = folds[i]!;
    const ids = await book(
      bookings,
      fold.context,
      { standing, conversions: fold.conversions, outcomes: fold.rows },
      causeIn(owner),
    );
    for (const [id, judgement] of sayOf(bookings, owner, fold, ids)) said.set(id, judgement);
  }
  return said;
}

/** What is stored of the owner, without those that left it, and with those that were read just now as they were read. */
function withFresh(stored: readonly OwnedOutcome[], { fresh, left }: ToSettle): OwnedOutcome[] {
  const before = new Map(stored.map((row) => [row.receipt_id, row]));
  for (const id of left) before.delete(id);
  for (const { receipt, reading } of fresh) {
    const {
      outcome = 'queued',
      reason = 'not_judged_yet',
      conversion_id = '',
    } = before.get(receipt.id) ?? {};
    before.set(receipt.id, {
      receipt_id: receipt.id,
      network_id: receipt.networkId,
      received_at: new Date(receipt.receivedMs),
      reading: storedReading(receipt, reading),
      outcome,
      reason,
      conversion_id,
    });
  }
  return [...before.values()];
}

/** The last of those that were read just now which a conversion rests on; where there is none, the one that is judged. */
function causeIn({ fresh, cause }: ToSettle): (c: FoldedConversion | null) => string {
  const now = new Set(fresh.map((f) => f.receipt.id));
  return (c) => c?.receiptIds.filter((id) => now.has(id)).at(-1) ?? cause;
}

function sayOf(
  { writes }: Bookings,
  { visit, eventType, fresh }: ToSettle,
  { all, context, verdicts }: OwnerFold,
  ids: ReadonlyMap<string, string>,
): [receiptId: string, Judgement][] {
  const readNow = new Map(fresh.map((f) => [f.receipt.id, f]));
  const said: [string, Judgement][] = [];
  for (const row of all) {
    const verdict = verdicts.get(row.receipt_id) ?? { verdict: 'other_network' as const, ident: null };
    const words = wording(verdict.verdict, row.reading.status, context.network.name);
    const now: Judgement = {
      outcome: words.outcome,
      reason: words.reason,
      detail: words.detail,
      conversionId: verdict.ident === null ? '' : (ids.get(verdict.ident) ?? ''),
    };
    // What a member set aside stays so, as long as it could only need repair again.
    if (row.outcome === 'set_aside' && now.outcome === 'repair') now.outcome = 'set_aside';
    const of = readNow.get(row.receipt_id);
    if (of) {
      (of.isNew ? writes.newReadings : writes.readings).push(
        readingRow(of.receipt, of.reading, { visit, eventTypeId: eventType.id, said: now }),
      );
      said.push([row.receipt_id, now]);
    } else if (
      row.outcome !== now.outcome ||
      row.reason !== now.reason ||
      row.conversion_id !== now.conversionId
    )
      writes.outcomeChanges.push(changeOf(visit.deskId, row, now));
  }
  return said;
}

const changeOf = (deskId: string, { receipt_id, reading }: OwnedOutcome, now: Judgement) => {
  const { payout, currency } = reading;
  const waiting =
    now.outcome === 'repair'
      ? waitingOf({ payout: payout === null ? null : BigInt(payout), currency })
      : null;
  return {
    desk_id: deskId,
    receipt_id,
    outcome: now.outcome,
    reason: now.reason,
    detail: now.detail,
    conversion_id: now.conversionId,
    repair_key: repairKey(now.reason, now.detail),
    waiting_micros: waiting?.payout.toString() ?? null,
    waiting_currency: waiting?.currency ?? null,
  };
};

const outcomes: Record<SignalVerdict | 'other_network', [PostbackOutcome, PostbackReason]> = {
  other_network: ['repair', 'other_network'],
  accepted: ['accepted', 'booked'],
  updated: ['updated', 'moved'],
  duplicate: ['duplicate', 'same_again'],
  move_not_allowed: ['ignored', 'move_not_allowed'],
  outside_window: ['ignored', 'outside_window'],
  several_matches: ['repair', 'several_matches'],
  nothing_to_change: ['ignored', 'nothing_to_change'],
  amount_too_large: ['repair', 'amount_too_large'],
  payout_reviewed: ['updated', 'payout_reviewed'],
  no_partner_payout: ['ignored', 'no_partner_payout'],
};
function wording(
  verdict: SignalVerdict | 'other_network',
  status: string,
  network: string,
): { outcome: PostbackOutcome; reason: PostbackReason; detail: string } {
  const [outcome, reason] = outcomes[verdict];
  const detail = {
    moved: `now ${status}`,
    payout_reviewed: status,
    move_not_allowed: `“${status}”`,
    other_network: network,
  }[reason as string];
  return { outcome, reason, detail: detail ?? '' };
}
