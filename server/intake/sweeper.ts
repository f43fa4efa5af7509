/** Judges receipts that have no outcome yet: the process died between the two commits, or judging took too long. */
import { dayOfReceipt } from '../db/partitions.ts';
import type { Pool } from 'pg';
import { clickIdDay } from '@tracheon/core/identity';
import type { ReceiptRecord } from '../events/rows.ts';
import { distinct } from './outcomes.ts';

/** Younger ones are most likely being judged right now. */
const MIN_AGE_SECONDS = 2;
export const MAX_PER_SWEEP = 500;
/** Calls that were kept just before a long stop are still judged after it. */
const MAX_AGE_DAYS = 14;

export interface ReceiptRow {
  desk_id: string;
  id: string;
  received_at: Date;
  network_id: string;
  method: string;
  path: string;
  query: string;
  body: string;
  content_type: string;
  headers: Record<string, string>;
  address_prefix: string;
  held: boolean;
  channel: ReceiptRecord['channel'];
  batch_id: string;
}

/** `after` is the last one of the page before; empty: from the beginning. */
export async function unjudgedReceipts(pool: Pool, fromMs: number, after = ''): Promise<ReceiptRecord[]> {
  const { rows } = await pool.query<ReceiptRow>(
    `SELECT r.* FROM receipts r LEFT JOIN outcomes o ON o.desk_id = r.desk_id AND o.receipt_id = r.id
     WHERE r.day >= ($3::timestamptz AT TIME ZONE 'UTC')::date AND r.received_at >= $3
       AND r.received_at < now() - make_interval(secs => $1)
       AND r.id > $4 AND (o.receipt_id IS NULL OR o.outcome = 'queued') ORDER BY r.id LIMIT $2`,
    [MIN_AGE_SECONDS, MAX_PER_SWEEP, new Date(fromMs), after],
  );
  return rows.map(toReceipt);
}

/**
 * Where the sweep begins to look: everything before has been judged. Rows that were loaded from a spool, and a start,
 * move it back; a sweep that found nothing moves it on.
 */
export class SweepFrom {
  private ms: number;

  constructor(nowMs: number) {
    this.ms = oldest(nowMs);
  }
  get value(): number {
    return this.ms;
  }
  lookBack(toMs: number): void {
    this.ms = Math.min(this.ms, toMs);
  }
  /** Also what other processes have loaded meanwhile. */
  lookBackAll(nowMs: number): void {
    this.ms = oldest(nowMs);
  }
  clean(nowMs: number): void {
    this.ms = Math.max(this.ms, nowMs - MARGIN_MS);
  }
}
/** A receipt has its time before it is written; it may wait for the database, and clocks differ. */
const MARGIN_MS = 120_000;
const oldest = (nowMs: number): number => nowMs - MAX_AGE_DAYS * 86_400_000;

/** A click ID that nobody knew yet may belong to a visit that still waits in some process's spool. */
const ASK_AGAIN_AFTER_MINUTES = [1, 10, 60];

/** Receipts of unknown clicks that are due to be judged again: on schedule, or all of the last day after a spool was loaded. */
export async function unknownClicksDue(pool: Pool, all: boolean): Promise<ReceiptRecord[]> {
  const { rows } = await pool.query<ReceiptRow>(
    `SELECT r.* FROM outcomes o JOIN receipts r ON r.desk_id = o.desk_id AND r.id = o.receipt_id AND ${dayOfReceipt('r.day', 'o.received_at')}
     WHERE o.reason = 'unknown_click' AND o.click_id <> '' AND o.received_at > now() - interval '24 hours'
       AND ($1 OR EXISTS (SELECT 1 FROM unnest($2::int[]) AS m
         WHERE now() >= o.received_at + make_interval(mins => m) AND o.judged_at < o.received_at + make_interval(mins => m)))
     ORDER BY r.id LIMIT $3`,
    [all, ASK_AGAIN_AFTER_MINUTES, MAX_PER_SWEEP],
  );
  return rows.map(toReceipt);
}

export async function loadReceipt(
  pool: Pool,
  deskId: string,
  id: string,
  day: string,
): Promise<ReceiptRecord | null> {
  const { rows } = await pool.query<ReceiptRow>(
    'SELECT * FROM receipts WHERE desk_id = $1 AND day = $2 AND id = $3',
    [deskId, day, id],
  );
  return rows[0] ? toReceipt(rows[0]) : null;
}

/** Those of them that are there, in the order of their IDs. */
export async function loadReceipts(
  pool: Pool,
  wanted: readonly { deskId: string; id: string }[],
): Promise<ReceiptRecord[]> {
  if (wanted.length === 0) return [];
  const { rows } = await pool.query<ReceiptRow>(
    'SELECT * FROM receipts WHERE desk_id = ANY ($1) AND day = ANY ($2::date[]) AND id = ANY ($3) ORDER BY id',
    [
      distinct(wanted.map((w) => w.deskId)),
      distinct(wanted.map((w) => clickIdDay(w.id))),
      distinct(wanted.map((w) => w.id)),
    ],
  );
  const names = new Set(wanted.map((w) => `${w.deskId}|${w.id}`));
  return rows.map(toReceipt).filter((r) => names.has(`${r.deskId}|${r.id}`));
}

export function toReceipt(r: ReceiptRow): ReceiptRecord {
  return {
    deskId: r.desk_id,
    id: r.id,
    receivedMs: r.received_at.getTime(),
    networkId: r.network_id,
    method: r.method,
    path: r.path,
    query: r.query,
    body: r.body,
    contentType: r.content_type,
    headers: r.headers,
    addressPrefix: r.address_prefix,
    held: r.held,
    channel: r.channel,
    batchId: r.batch_id,
  };
}
