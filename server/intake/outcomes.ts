/** What was made of each receipt, stored: the reading is what the fold works on, now and on replay. */
import type { PostbackOutcome, PostbackReason } from '@tracheon/core/contract';
import {
  partnerSides,
  repairKey,
  type PartnerSide,
  type PostbackReading,
  type Signal,
  type Waiting,
} from '@tracheon/core/conversions';
import type { Reads } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import type { OwningVisit } from './owningVisit.ts';
import { ABOUT, PARTNER_SIDE } from './readReceipt.ts';
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
  /** Left out where it is not told. */
  sale?: { amount: string; currency: string | null };
  conversionTime: number | null;
  changedTime: number | null;
  extras: Record<string, string>;
  /** Of a change by hand: a receipt of the conversion that it was made to. */
  about?: string;
  /** Of a decision on the partner's payout. */
  partnerSide?: PartnerSide;
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

/** Names an owner of a desk. */
export const ownerKey = (deskId: string, { visitId, eventTypeId }: Owner): string =>
  `${deskId}|${visitId}|${eventTypeId}`;

/** The readable receipts of these visits, by owner; those of other event types of the visits are there as well. */
export async function ownedOutcomes(
  client: Reads,
  visits: readonly Pick<StoredVisit, 'deskId' | 'id' | 'isTest'>[],
): Promise<Map<string, OwnedOutcome[]>> {
  const { rows } = await client.query<
    OwnedOutcome & { desk_id: string; owner: string; event_type_id: string; is_test: boolean }
  >(
    // Each owner by its key, whatever the planner believes of the table; that it is not empty is what the index asks for.
    `SELECT o.* FROM unnest($1::text[], $2::text[]) AS k (of_desk, visit) CROSS JOIN LATERAL (
       SELECT desk_id, owner, event_type_id, is_test, receipt_id, network_id, received_at, reading, outcome, reason, conversion_id
       FROM outcomes WHERE desk_id = k.of_desk AND owner = k.visit AND owner <> '' AND reading IS NOT NULL
         AND outcome <> 'withdrawn' OFFSET 0) o`,
    visitKeys(visits),
  );
  const isTest = new Map(visits.map((v) => [`${v.deskId}|${v.id}`, v.isTest]));
  const found = new Map<string, OwnedOutcome[]>();
  for (const { desk_id, owner, event_type_id, is_test, ...row } of rows) {
    if (isTest.get(`${desk_id}|${owner}`) !== is_test) continue;
    const key = ownerKey(desk_id, { visitId: owner, eventTypeId: event_type_id });
    const of = found.get(key);
    if (of) of.push(row);
    else found.set(key, [row]);
  }
  return found;
}

/** Each visit once: its desk, and its ID. */
export function visitKeys(visits: readonly Pick<StoredVisit, 'deskId' | 'id'>[]): [string[], string[]] {
  const once = [...new Map(visits.map((v) => [`${v.deskId}|${v.id}`, v])).values()];
  return [once.map((v) => v.deskId), once.map((v) => v.id)];
}
export const distinct = (all: readonly string[]): string[] => [...new Set(all)];

export interface StoredBefore {
  owner: Owner | null;
  outcome: string;
}

/** What earlier judgements found, by receipt; nothing where there was none. */
export async function storedBefore(
  client: Reads,
  receipts: readonly ReceiptRecord[],
): Promise<Map<string, StoredBefore>> {
  const { rows } = await client.query<{
    receipt_id: string;
    owner: string;
    event_type_id: string;
    outcome: string;
  }>(
    `SELECT o.* FROM unnest($1::text[], $2::text[]) AS k (desk, id) CROSS JOIN LATERAL (
       SELECT receipt_id, owner, event_type_id, outcome FROM outcomes
       WHERE desk_id = k.desk AND receipt_id = k.id OFFSET 0) o`,
    [receipts.map((r) => r.deskId), receipts.map((r) => r.id)],
  );
  return new Map(
    rows.map(({ receipt_id, owner, event_type_id, outcome }) => [
      receipt_id,
      { owner: owner === '' ? null : { visitId: owner, eventTypeId: event_type_id }, outcome },
    ]),
  );
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
    sale: r.sale ? { ...r.sale, amount: BigInt(r.sale.amount) } : null,
    about: r.about ?? null,
    partnerSide: r.partnerSide ?? null,
  };
}

export interface Refusal {
  clickId: string;
  notes: string[];
  waiting: Waiting | null;
  /** What is wrong with an amount. */
  kind?: string;
}

/** A row of `outcomes`, as JSON. */
export interface OutcomeRow {
  desk_id: string;
  receipt_id: string;
  network_id: string;
  received_at: string;
  outcome: string;
  reason: string;
  detail: string;
  click_id: string;
  event_type_id: string;
  owner: string;
  is_test: boolean;
  reading: StoredReading | null;
  notes: string[];
  channel: string;
  batch_id: string;
  waiting_micros: string | null;
  waiting_currency: string | null;
  repair_key: string;
  conversion_id: string;
}

const MAX_DETAIL_LENGTH = 300;

type Ownership = Pick<OutcomeRow, 'event_type_id' | 'owner' | 'is_test' | 'reading'>;
const nobodys: Ownership = { event_type_id: '', owner: '', is_test: false, reading: null };

const outcomeOf = (
  r: ReceiptRecord,
  said: Judgement,
  { clickId, notes, waiting, kind = '' }: Refusal,
  of: Ownership,
): OutcomeRow => ({
  desk_id: r.deskId,
  receipt_id: r.id,
  network_id: r.networkId,
  received_at: new Date(r.receivedMs).toISOString(),
  outcome: said.outcome,
  reason: said.reason,
  detail: said.detail.slice(0, MAX_DETAIL_LENGTH),
  click_id: clickId,
  event_type_id: of.event_type_id,
  owner: of.owner,
  is_test: of.is_test,
  reading: of.reading,
  notes,
  channel: r.channel,
  batch_id: r.batchId,
  waiting_micros: waiting?.payout.toString() ?? null,
  waiting_currency: waiting?.currency ?? null,
  repair_key: repairKey(said.reason, said.detail, kind),
  conversion_id: said.conversionId,
});

/** Of a receipt that books nothing. */
export const refusalRow = (r: ReceiptRecord, said: Judgement, of: Refusal): OutcomeRow =>
  outcomeOf(r, said, of, nobodys);

/** Of a receipt that was read, and whose owner is known. */
export const readingRow = (
  r: ReceiptRecord,
  reading: PostbackReading,
  of: { visit: OwningVisit; eventTypeId: string; said: Judgement },
): OutcomeRow =>
  outcomeOf(
    r,
    of.said,
    {
      clickId: of.visit.shownClickId,
      notes: reading.notes,
      waiting: of.said.outcome === 'repair' ? waitingOf(reading) : null,
    },
    {
      event_type_id: of.eventTypeId,
      owner: of.visit.id,
      is_test: of.visit.isTest,
      reading: storedReading(r, reading),
    },
  );

export const waitingOf = ({
  payout,
  currency,
}: Pick<PostbackReading, 'payout' | 'currency'>): Waiting | null =>
  payout === null ? null : { payout, currency };

const sideOf = ({ headers }: ReceiptRecord): PartnerSide | undefined =>
  partnerSides.find((side) => side === headers[PARTNER_SIDE]);

export function storedReading(r: ReceiptRecord, reading: PostbackReading): StoredReading {
  const { sale } = reading;
  const stored: StoredReading = {
    transaction: reading.transaction,
    status: reading.status,
    payout: reading.payout?.toString() ?? null,
    currency: reading.currency,
    conversionTime: reading.conversionTime,
    changedTime: reading.changedTime,
    extras: reading.extras,
  };
  if (sale) stored.sale = { ...sale, amount: sale.amount.toString() };
  const about = r.headers[ABOUT];
  if (about) stored.about = about;
  const side = sideOf(r);
  if (side) stored.partnerSide = side;
  return stored;
}
