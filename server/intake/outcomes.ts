/** What was made of each receipt, stored: the reading is what the fold works on, now and on replay. */
import type { PostbackOutcome, PostbackReason } from '@tracheon/core/contract';
import { repairKey, type PostbackReading, type Signal, type Waiting } from '@tracheon/core/conversions';
import type { Pipelined, Reads } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import { ABOUT } from './readReceipt.ts';
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
  /** Of a change by hand: a receipt of the conversion that it was made to. */
  about?: string;
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
     WHERE desk_id = $1 AND owner = $2 AND event_type_id = $3 AND is_test = $4 AND reading IS NOT NULL
       AND outcome <> 'withdrawn'`,
    [deskId, visit.id, eventTypeId, visit.isTest],
  );
  return rows;
}

/** What an earlier judgement found; null when there was none. */
export async function storedBefore(
  client: Reads,
  receipt: ReceiptRecord,
): Promise<{ owner: Owner | null; outcome: string } | null> {
  const { rows } = await client.query<{ owner: string; event_type_id: string; outcome: string }>(
    'SELECT owner, event_type_id, outcome FROM outcomes WHERE desk_id = $1 AND receipt_id = $2',
    [receipt.deskId, receipt.id],
  );
  const [row] = rows;
  if (!row) return null;
  const owner = row.owner === '' ? null : { visitId: row.owner, eventTypeId: row.event_type_id };
  return { owner, outcome: row.outcome };
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
    about: r.about ?? null,
  };
}

export interface Refusal {
  clickId: string;
  notes: string[];
  waiting: Waiting | null;
  /** What is wrong with an amount. */
  kind?: string;
}

/** For a receipt that books nothing. One that has been read before keeps what it booked. */
export function storeOutcome(
  client: Pipelined,
  r: ReceiptRecord,
  said: Judgement,
  { clickId, notes, waiting, kind = '' }: Refusal,
): void {
  client.write(
    `INSERT INTO outcomes (desk_id, receipt_id, network_id, received_at, outcome, reason, detail, click_id, notes,
       channel, batch_id, waiting_micros, waiting_currency, repair_key)
     VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14)
     ON CONFLICT (desk_id, receipt_id) DO UPDATE SET
       outcome = CASE WHEN outcomes.outcome = 'set_aside' AND excluded.outcome = 'repair' THEN 'set_aside' ELSE excluded.outcome END,
       reason = excluded.reason, detail = excluded.detail, click_id = excluded.click_id,
       notes = excluded.notes, waiting_micros = excluded.waiting_micros, waiting_currency = excluded.waiting_currency,
       repair_key = excluded.repair_key, judged_at = now()
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
      r.channel,
      r.batchId,
      waiting?.payout.toString() ?? null,
      waiting?.currency ?? null,
      repairKey(said.reason, said.detail, kind),
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
    ...(r.headers[ABOUT] ? { about: r.headers[ABOUT] } : {}),
  };
  client.write(
    `INSERT INTO outcomes (desk_id, receipt_id, network_id, received_at, outcome, reason, click_id, event_type_id, owner, is_test, reading, notes, channel, batch_id)
     VALUES ($1, $2, $3, $4, 'queued', 'not_judged_yet', $5, $6, $5, $7, $8, $9, $10, $11)
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
      r.channel,
      r.batchId,
    ],
  );
}
