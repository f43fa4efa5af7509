/** Judges receipts that have no outcome yet: the process died between the two commits, or judging took too long. */
import { dayAgo, dayOfReceipt, DAYS_BACK } from '../db/partitions.ts';
import type { Pool } from 'pg';
import { clickIdDay } from '@tracheon/core/identity';
import type { ReceiptRecord } from '../events/rows.ts';
import { distinct } from './outcomes.ts';

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

/** `recent`: of the days in which receipts arrive now. `any`: of whatever day, as from a spool that waited for weeks. */
export type SweptDays = 'recent' | 'any';

/** Receipts of transactions from `since` on, and before `upTo`; `after` is the last one of the page before, empty: from the beginning. */
export async function unjudgedReceipts(
  pool: Pool,
  { since, upTo }: Swept,
  { days, nowMs, after = '' }: { days: SweptDays; nowMs: number; after?: string },
): Promise<ReceiptRecord[]> {
  const oldest = dayAgo(since === '' ? MAX_AGE_DAYS : DAYS_BACK, nowMs);
  const isBound = since === '' || days === 'recent';
  const { rows } = await pool.query<ReceiptRow>(
    `SELECT r.* FROM receipts r LEFT JOIN outcomes o ON o.desk_id = r.desk_id AND o.receipt_id = r.id
     WHERE r.tx >= $4::xid8 AND r.tx < $1::xid8 AND r.id > $3 AND (o.receipt_id IS NULL OR o.outcome = 'queued')
       ${isBound ? 'AND r.day >= $5::date' : ''} ORDER BY r.id LIMIT $2`,
    [upTo, MAX_PER_SWEEP, after, since === '' ? '0' : since, ...(isBound ? [oldest] : [])],
  );
  return rows.map(toReceipt);
}

/** The oldest transaction that is still under way: what all those before it wrote can be seen by now. */
export async function oldestUnderWay(pool: Pool): Promise<string> {
  const { rows } = await pool.query<{ xmin: string }>(
    'SELECT pg_snapshot_xmin(pg_current_snapshot())::text AS xmin',
  );
  return rows[0]!.xmin;
}

export interface Swept {
  /** The first transaction that is looked at; empty: those of the last days. */
  since: string;
  /** The first one that is not. */
  upTo: string;
}

/**
 * What the sweep has not looked at. Transactions are counted, not time: a receipt is seen whatever its clock said, and however
 * long it waited in a spool; what has been looked at is never read again.
 */
export class SweepWindow {
  private since = '';
  /** Oldest transactions under way, with the time at which each was. */
  private seen: { atMs: number; xmin: bigint }[] = [];

  /** `xmin` is of now; `nowMs` of a clock that only goes forward. */
  next(xmin: string, nowMs: number): Swept {
    const current = BigInt(xmin);
    // Another database stands behind the same address, such as a backup.
    if (this.since !== '' && current < BigInt(this.since)) {
      this.since = '';
      this.seen = [];
    }
    this.seen.push({ atMs: nowMs, xmin: current });
    const old = this.seen.filter((s) => s.atMs <= nowMs - MIN_AGE_MS);
    const last = old.at(-1);
    if (last) this.seen = this.seen.slice(old.length - 1);
    // At the first look nothing of this process can be under way.
    const upTo = last?.xmin ?? (this.since === '' ? current : BigInt(this.since));
    return { since: this.since, upTo: String(upTo) };
  }
  /** All of it has been looked at. */
  done({ upTo }: Swept): void {
    this.since = upTo;
  }
}
/** Younger ones are most likely being judged right now. */
const MIN_AGE_MS = 2000;

/** A click ID that nobody knew yet may belong to a visit that still waits in some process's spool. */
const ASK_AGAIN_AFTER_MINUTES = [1, 10, 60];

/** Receipts of unknown clicks that are due to be judged again: on schedule, or all of the last day after a spool was loaded. */
export async function unknownClicksDue(pool: Pool, all: boolean): Promise<ReceiptRecord[]> {
  const { rows } = await pool.query<ReceiptRow>(
    `SELECT r.* FROM outcomes o JOIN receipts r ON r.desk_id = o.desk_id AND r.id = o.receipt_id AND ${dayOfReceipt('r.day', 'o.received_at')}
     WHERE o.reason = 'unknown_click' AND o.click_id <> '' AND o.received_at > now() - interval '24 hours' AND r.day >= $4::date
       AND ($1 OR EXISTS (SELECT 1 FROM unnest($2::int[]) AS m
         WHERE now() >= o.received_at + make_interval(mins => m) AND o.judged_at < o.received_at + make_interval(mins => m)))
     ORDER BY r.id LIMIT $3`,
    // Of two days: clocks differ.
    [all, ASK_AGAIN_AFTER_MINUTES, MAX_PER_SWEEP, dayAgo(2)],
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
