/**
 * Judgement of one receipt: read it, find whose it is, fold everything known of that owner and event type, and book
 * the difference. Outcome, conversion, ledger and outbox are written in one transaction, serialised on the owner and
 * event type, so that two calls at once give what the same two calls give one after the other. Judging again is
 * always right: it changes nothing, or what a repaired mapping now makes of it; an owner that loses a receipt that
 * way is folded again without it.
 */
import type { Pool } from 'pg';
import {
  chosenChannel,
  isByChannel,
  type PostbackOutcome,
  type PostbackReason,
} from '@tracheon/core/contract';
import type { EventTypeRule, PostbackReading, SignalVerdict, Waiting } from '@tracheon/core/conversions';
import { SENT_NOWHERE } from '@tracheon/core/visits';
import { clickIdDay } from '@tracheon/core/identity';
import { inPipeline, type Pipelined } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import { loadReceipt } from './sweeper.ts';
import { book } from './book.ts';
import { loadStanding } from './standing.ts';
import { storedBefore, storeOutcome, storeReading, type Judgement, type Owner } from './outcomes.ts';
import { readReceipt } from './readReceipt.ts';
import { UNPROVEN } from './callerProof.ts';
import { foldOfOwner } from './ownerFold.ts';
import { asOfNetwork, loadReader, loadVisit, type OwningVisit } from './ownerContext.ts';

export type { Judgement } from './outcomes.ts';

/** `pool` is one opened with `pipeline`. */
export async function judge(
  pool: Pool,
  receipt: ReceiptRecord,
  options: JudgeOptions = {},
): Promise<Judgement> {
  const said = await inPipeline(pool, (client) => {
    if (options.commitsLater) client.write('SET LOCAL synchronous_commit = off', []);
    return judgeWithin(client, receipt, options);
  });
  // Also a later postback may be the first to tell the conversion's transaction.
  if (said.conversionId !== '') await judgeThoseThatWaited(pool, receipt, said.conversionId);
  return said;
}

/** What the server judges with. */
export interface Judges {
  judge: (receipt: ReceiptRecord, options?: JudgeOptions) => Promise<Judgement>;
}

/** At most so many at once; the rest are found when a member reprocesses them. */
const MAX_WAITED = 20;

/**
 * Receipts that named only a transaction, and came before the conversion that has it: their time has come. They are judged
 * after the conversion's own transaction, in their order; none of them books a transaction that is new.
 */
async function judgeThoseThatWaited(pool: Pool, receipt: ReceiptRecord, conversionId: string): Promise<void> {
  const { rows } = await pool.query<{ id: string }>(
    `SELECT o.receipt_id AS id
     FROM conversions c JOIN outcomes o ON o.desk_id = c.desk_id AND o.network_id = c.network_id
       AND o.reason = 'unknown_transaction' AND o.detail = c.transaction
     WHERE c.desk_id = $1 AND c.id = $2 AND c.transaction <> '' ORDER BY o.receipt_id LIMIT ${MAX_WAITED}`,
    [receipt.deskId, conversionId],
  );
  for (const { id } of rows) {
    const waited = await loadReceipt(pool, receipt.deskId, id, clickIdDay(id));
    if (waited) await inPipeline(pool, (client) => judgeWithin(client, waited));
  }
}

export interface JudgeOptions {
  /** Sources get postbacks only for new conversions since then, in ms since 1970. */
  reportSince?: number;
  /**
   * The commit does not wait for the disk: of a run whose next step is written down by one that does, and which does this
   * one again when that was lost.
   */
  commitsLater?: boolean;
}

/** In a transaction of the caller's; nothing else of it may be judged at the same time. */
export async function judgeWithin(
  client: Pipelined,
  receipt: ReceiptRecord,
  options: JudgeOptions = {},
): Promise<Judgement> {
  const [reader, before] = await Promise.all([loadReader(client, receipt), storedBefore(client, receipt)]);
  if (before?.outcome === 'withdrawn')
    return { outcome: 'withdrawn', reason: 'withdrawn', detail: '', conversionId: '' };
  if (receipt.held) return storeHeld(client, receipt);
  const read = readReceipt(receipt, reader);
  if (!read.ok) {
    const { outcome, reason, detail, kind, clickId, notes, waiting } = read;
    return store(
      client,
      receipt,
      { outcome, reason, detail },
      { clickId: clickId ?? '', notes, waiting, kind },
    );
  }
  const { reading } = read;
  const owned = await findOwned(client, receipt, reading, before?.owner ?? null);
  if ('reason' in owned) {
    const { clickId = reading.clickId ?? '', ...said } = owned;
    const waiting = waitingOf(reading);
    return store(client, receipt, said, { clickId, notes: reading.notes, waiting });
  }
  return bookReading(client, receipt, reader.types, reading, {
    ...owned,
    before: before?.owner ?? null,
    options,
  });
}

const store = (
  client: Pipelined,
  receipt: ReceiptRecord,
  said: Omit<Judgement, 'conversionId'>,
  of: Parameters<typeof storeOutcome>[3],
): Judgement => {
  const judgement = { ...said, conversionId: '' };
  storeOutcome(client, receipt, judgement, of);
  return judgement;
};

const waitingOf = ({ payout, currency }: PostbackReading): Waiting | null =>
  payout === null ? null : { payout, currency };

function storeHeld(client: Pipelined, receipt: ReceiptRecord): Judgement {
  const why = receipt.headers[UNPROVEN]
    ? { reason: 'wrong_proof' as const, detail: '' }
    : { reason: 'address_not_listed' as const, detail: receipt.addressPrefix };
  return store(client, receipt, { outcome: 'held', ...why }, { clickId: '', notes: [], waiting: null });
}

type Refused = Omit<Judgement, 'conversionId'> & { clickId?: string };

/** The visit and the event type that it books on; or why it books nothing. */
async function findOwned(
  client: Pipelined,
  receipt: ReceiptRecord,
  reading: PostbackReading,
  before: Owner | null,
): Promise<{ visit: OwningVisit; eventTypeId: string } | Refused> {
  const found = await findOwner(client, receipt, reading, before);
  if ('reason' in found) return { outcome: 'repair', ...found };
  const { visit, eventTypeId } = found;
  // Whose a visit to a fallback address was is not known before somebody pays for it.
  const offered = visit.networkId === '' ? visit : asOfNetwork(visit, receipt.networkId, receipt.receivedMs);
  if (offered === null) {
    const detail = await networkName(client, receipt.deskId, visit.networkId);
    return { outcome: 'repair', reason: 'other_network', detail, clickId: visit.id };
  }
  const chosen = chosenChannel({ conversionsFrom: offered.conversionsFrom ?? [] }, eventTypeId);
  // What was booked before the channel was moved stays: only money that has not been counted yet is left to the other channel.
  if (!before && !isByChannel(receipt.channel, chosen))
    return {
      outcome: 'ignored',
      reason: 'other_channel',
      detail: chosen ?? 'postbacks',
      clickId: visit.id,
    };
  return { visit, eventTypeId };
}

async function bookReading(
  client: Pipelined,
  receipt: ReceiptRecord,
  types: readonly EventTypeRule[],
  reading: PostbackReading,
  {
    visit,
    eventTypeId,
    before,
    options,
  }: { visit: OwningVisit; eventTypeId: string; before: Owner | null; options: JudgeOptions },
): Promise<Judgement> {
  const typeOf = (id: string): EventTypeRule => types.find((t) => t.id === id)!;
  const moved = before && (before.visitId !== visit.id || before.eventTypeId !== eventTypeId) ? before : null;
  // What has been read so far is fixed for good; from here on the owner is this transaction's alone.
  lockOwners(client, receipt.deskId, [{ visitId: visit.id, eventTypeId }, ...(moved ? [moved] : [])]);
  const { conversionTime } = reading;
  const isBeforeVisit = conversionTime !== null && conversionTime < visit.atMs;
  const notes = isBeforeVisit ? [...reading.notes, 'before_visit:conversion_time'] : reading.notes;
  storeReading(client, receipt, { ...reading, notes }, visit, eventTypeId);
  if (moved) {
    const left = await loadVisit(client, receipt.deskId, moved.visitId);
    if (left) await settleOwner(client, receipt, left, typeOf(moved.eventTypeId), options);
  }
  return (await settleOwner(client, receipt, visit, typeOf(eventTypeId), options))!;
}

/** In one order everywhere, so that two judgements that need both never wait for each other. */
function lockOwners(client: Pipelined, deskId: string, owners: Owner[]): void {
  for (const key of owners.map((o) => `${deskId}|${o.visitId}|${o.eventTypeId}`).sort())
    client.write('SELECT pg_advisory_xact_lock(hashtextextended($1, 0))', [key]);
}

type Found = { visit: OwningVisit; eventTypeId: string } | { reason: PostbackReason; detail: string };

/** By click ID; else by the transaction, which must name one conversion of this network only. A stored match stays. */
async function findOwner(
  client: Pipelined,
  receipt: ReceiptRecord,
  reading: PostbackReading,
  before: Owner | null,
): Promise<Found> {
  if (reading.clickId !== null) {
    const visit = await loadVisit(client, receipt.deskId, reading.clickId);
    if (!visit) return { reason: 'unknown_click', detail: reading.clickId };
    if (visit.fate === 'no_offer' || visit.notes.includes(SENT_NOWHERE))
      return { reason: 'sent_to_no_offer', detail: '' };
    return { visit, eventTypeId: reading.eventTypeId };
  }
  if (before)
    return asFound(await loadVisit(client, receipt.deskId, before.visitId), before.eventTypeId, reading);
  const hits = await ownersByTransaction(client, receipt, reading.transaction);
  const visits = new Set(hits.map((h) => h.visitId));
  if (visits.size > 1) return { reason: 'several_matches', detail: reading.transaction };
  const [hit] = hits;
  const visit = hit && (await loadVisit(client, receipt.deskId, hit.visitId));
  // The event that is told says which of the visit's conversions is meant; where none is told, the one that was found.
  const isOneEvent = new Set(hits.map((h) => h.eventTypeId)).size === 1;
  const eventTypeId = reading.isEventTold || !isOneEvent ? reading.eventTypeId : hit!.eventTypeId;
  return asFound(visit, eventTypeId, reading);
}

const asFound = (visit: OwningVisit | undefined, eventTypeId: string, reading: PostbackReading): Found =>
  visit ? { visit, eventTypeId } : { reason: 'unknown_transaction', detail: reading.transaction };

async function networkName(client: Pipelined, deskId: string, networkId: string): Promise<string> {
  const { rows } = await client.query<{ name: string }>(
    'SELECT name FROM parts WHERE desk_id = $1 AND id = $2',
    [deskId, networkId],
  );
  return rows[0]?.name ?? '';
}

/** Conversions with this transaction, of this network: the visits that they belong to, and their event types. */
async function ownersByTransaction(
  client: Pipelined,
  receipt: ReceiptRecord,
  transaction: string,
): Promise<Owner[]> {
  const { rows } = await client.query<Owner>(
    `SELECT DISTINCT owner AS "visitId", event_type_id AS "eventTypeId" FROM conversions
     WHERE desk_id = $1 AND network_id = $2 AND transaction = $3 LIMIT ${MAX_OWNERS}`,
    [receipt.deskId, receipt.networkId, transaction],
  );
  return rows;
}
/** More event types than these share no transaction; two visits are enough to know that it is ambiguous. */
const MAX_OWNERS = 50;

/** Folds all readable receipts of this owner and event type, and writes what has changed. Null when `receipt` is not one of them. */
async function settleOwner(
  client: Pipelined,
  receipt: ReceiptRecord,
  visit: OwningVisit,
  eventType: EventTypeRule,
  options: JudgeOptions,
): Promise<Judgement | null> {
  const [owned, standing] = await Promise.all([
    foldOfOwner(client, visit, eventType, receipt.networkId),
    loadStanding(client, receipt.deskId, visit, eventType.id),
  ]);
  const { all, rows, context, conversions, verdicts } = owned;
  const ids = await book(
    client,
    context,
    { standing, conversions, outcomes: rows },
    receipt.id,
    options.reportSince,
  );
  let said: Judgement | null = null;
  for (const row of all) {
    const verdict = verdicts.get(row.receipt_id) ?? { verdict: 'other_network' as const, ident: null };
    const now = wording(verdict.verdict, row.reading.status, context.network.name);
    const conversionId = verdict.ident === null ? '' : (ids.get(verdict.ident) ?? '');
    // What a member set aside stays so, as long as it could only need repair again.
    if (row.outcome === 'set_aside' && now.outcome === 'repair') now.outcome = 'set_aside';
    if (row.outcome !== now.outcome || row.reason !== now.reason || row.conversion_id !== conversionId)
      client.write(
        `UPDATE outcomes SET outcome = $3, reason = $4, detail = $5, conversion_id = $6, judged_at = now()
         WHERE desk_id = $1 AND receipt_id = $2`,
        [receipt.deskId, row.receipt_id, now.outcome, now.reason, now.detail, conversionId],
      );
    if (row.receipt_id === receipt.id) said = { ...now, conversionId };
  }
  return said;
}

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
};
function wording(
  verdict: SignalVerdict | 'other_network',
  status: string,
  network: string,
): { outcome: PostbackOutcome; reason: PostbackReason; detail: string } {
  const [outcome, reason] = outcomes[verdict];
  const detail = { moved: `now ${status}`, move_not_allowed: `“${status}”`, other_network: network }[
    reason as string
  ];
  return { outcome, reason, detail: detail ?? '' };
}

/**
 * What a receipt booked is taken back, and nothing is left of its reading: as if it had never been understood. `outcome` is
 * what stands of it from now on; the caller judges it again, or leaves it so.
 */
export async function unread(
  client: Pipelined,
  receipt: ReceiptRecord,
  outcome: 'queued' | 'withdrawn',
): Promise<void> {
  const [{ types }, before] = await Promise.all([loadReader(client, receipt), storedBefore(client, receipt)]);
  const owner = before?.owner ?? null;
  if (owner) lockOwners(client, receipt.deskId, [owner]);
  const reason = outcome === 'queued' ? 'not_judged_yet' : 'withdrawn';
  client.write(
    `UPDATE outcomes SET outcome = $3, reason = $4, detail = '', conversion_id = '', judged_at = now(),
       reading = CASE WHEN $3 = 'withdrawn' THEN reading END, owner = CASE WHEN $3 = 'withdrawn' THEN owner ELSE '' END
     WHERE desk_id = $1 AND receipt_id = $2`,
    [receipt.deskId, receipt.id, outcome, reason],
  );
  const visit = owner && (await loadVisit(client, receipt.deskId, owner.visitId));
  if (visit)
    await settleOwner(
      client,
      receipt,
      visit,
      types.find((t) => t.id === owner.eventTypeId)!,
      {},
    );
}
