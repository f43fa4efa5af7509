/** What was made of each receipt, stored: the reading is what the fold works on, now and on replay. */
import type { PostbackOutcome, PostbackReason } from '@tracheon/core/contract';
import type { PostbackReading, Signal } from '@tracheon/core/conversions';
import type { Pipelined, Reads } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import type { StoredVisit } from '@tracheon/core/visits';

export interface Judgement {
  outcome: PostbackOutcome;
  reason: PostbackReason;
  detail: string;
  conversionId: string;
}
export interface StoredReading {
  transaction: string;
  status: Signal['status'];
  payout: string | null;
  currency: string | null;
  conversionTime: number | null;
  changedTime: number | null;
  extras: Record<string, string>;
}
/** One readable receipt of an owner, with what was last said of it. */
export interface OwnedOutcome {
  receipt_id: string;
  network_id: string;
  received_at: Date;
  reading: StoredReading;
  outcome: string;
  reason: string;
  conversion_id: string;
}
/** Whose a receipt was found to be: the visit, and the event type. */
export interface Owner {
  visitId: string;
  eventTypeId: string;
}

export async function ownedOutcomes(
  client: Reads,
  deskId: string,
  visit: Pick<StoredVisit, 'id' | 'isTest'>,
  eventTypeId: string,
): Promise<OwnedOutcome[]> {
  const { rows } = await client.query<OwnedOutcome>(
    `SELECT receipt_id, network_id, received_at, reading, outcome, reason, conversion_id FROM outcomes
     WHERE desk_id = $1 AND owner = $2 AND event_type_id = $3 AND is_test = $4 AND reading IS NOT NULL`,
    [deskId, visit.id, eventTypeId, visit.isTest],
  );
  return rows;
}

/** The owner found by an earlier judgement; null when there was none. */
export async function storedOwner(client: Reads, receipt: ReceiptRecord): Promise<Owner | null> {
  const { rows } = await client.query<{ owner: string; event_type_id: string }>(
    `SELECT owner, event_type_id FROM outcomes WHERE desk_id = $1 AND receipt_id = $2 AND owner <> ''`,
    [receipt.deskId, receipt.id],
  );
  return rows[0] ? { visitId: rows[0].owner, eventTypeId: rows[0].event_type_id } : null;
}

export function toSignal({ receipt_id, received_at, reading: r }: OwnedOutcome): Signal {
  return {
    receiptId: receipt_id,
    receivedAt: received_at.getTime(),
    changedTime: r.changedTime,
    conversionTime: r.conversionTime,
    transaction: r.transaction,
    status: r.status,
    payout: r.payout === null ? null : BigInt(r.payout),
    currency: r.currency,
  };
}

/** For a receipt that books nothing. One that has been read before keeps what it booked. */
export function storeOutcome(
  client: Pipelined,
  r: ReceiptRecord,
  said: Judgement,
  clickId: string,
  notes: string[],
): void {
  client.write(
    `INSERT INTO outcomes (desk_id, receipt_id, network_id, received_at, outcome, reason, detail, click_id, notes)
     VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)
     ON CONFLICT (desk_id, receipt_id) DO UPDATE SET
       outcome = CASE WHEN outcomes.outcome = 'set_aside' AND excluded.outcome = 'repair' THEN 'set_aside' ELSE excluded.outcome END,
       reason = excluded.reason, detail = excluded.detail, click_id = excluded.click_id,
       notes = excluded.notes, judged_at = now()
     WHERE outcomes.reading IS NULL`,
    [
      r.deskId,
      r.id,
      r.networkId,
      new Date(r.receivedMs),
      said.outcome,
      said.reason,
      said.detail.slice(0, 300),
      clickId,
      JSON.stringify(notes),
    ],
  );
}

export function storeReading(
  client: Pipelined,
  r: ReceiptRecord,
  reading: PostbackReading,
  visit: StoredVisit,
  eventTypeId: string,
): void {
  const stored: StoredReading = {
    transaction: reading.transaction,
    status: reading.status,
    payout: reading.payout?.toString() ?? null,
    currency: reading.currency,
    conversionTime: reading.conversionTime,
    changedTime: reading.changedTime,
    extras: reading.extras,
  };
  client.write(
    `INSERT INTO outcomes (desk_id, receipt_id, network_id, received_at, outcome, reason, click_id, event_type_id, owner, is_test, reading, notes)
     VALUES ($1, $2, $3, $4, 'queued', 'not_judged_yet', $5, $6, $5, $7, $8, $9)
     ON CONFLICT (desk_id, receipt_id) DO UPDATE SET
       click_id = excluded.click_id, event_type_id = excluded.event_type_id, owner = excluded.owner,
       is_test = excluded.is_test, reading = excluded.reading, notes = excluded.notes,
       outcome = CASE WHEN outcomes.outcome = 'set_aside' THEN 'set_aside' ELSE 'queued' END`,
    [
      r.deskId,
      r.id,
      r.networkId,
      new Date(r.receivedMs),
      visit.id,
      eventTypeId,
      visit.isTest,
      JSON.stringify(stored),
      JSON.stringify(reading.notes),
    ],
  );
}
