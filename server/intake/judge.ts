/**
 * Judgement of one receipt: read it, find whose it is, fold everything known of that owner and event type, and book
 * the difference. Outcome, conversion, ledger and outbox are written in one transaction, serialised on the owner and
 * event type, so that two calls at once give what the same two calls give one after the other. Judging again is
 * always right: it changes nothing, or what a repaired mapping now makes of it.
 */
import type { Pool, PoolClient } from 'pg';
import type { CallOutcome, CallReason, NetworkInput, OfferInput, SourceInput } from '@tracheon/core/contract';
import {
  foldOwner,
  readCall,
  type CallReading,
  type FoldRules,
  type Signal,
  type SignalVerdict,
} from '@tracheon/core/conversions';
import { clickIdDay } from '@tracheon/core/identity';
import { inTransaction } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import { book } from './book.ts';
import { callQuery } from './callQuery.ts';

export interface Judgement {
  outcome: CallOutcome;
  reason: CallReason;
  detail: string;
  conversionId: string;
}

/** The stored visit, as far as judging and tokens need it. */
export interface StoredVisit {
  id: string;
  at: Date;
  is_bot: boolean;
  is_test: boolean;
  campaign_id: string;
  source_id: string;
  offer_id: string;
  offer_version: number;
  network_id: string;
  landing_id: string;
  branch: string;
  country: string;
  region: string;
  city: string;
  isp: string;
  connection: string;
  language: string;
  device: string;
  device_model: string;
  os: string;
  os_version: string;
  browser: string;
  browser_version: string;
  referrer_host: string;
  cost_micros: string | null;
  cost_currency: string;
  source_click_id: string;
  subs: Record<string, string>;
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
/** Everything one owner's judgement works with. */
export interface OwnerContext {
  deskId: string;
  visit: StoredVisit;
  eventTypeId: string;
  desk: { zone: string; currency: string };
  offer: { id: string; name: string; body: OfferInput };
  network: { id: string; name: string; body: NetworkInput };
  source: { id: string; name: string; body: SourceInput };
  campaign: { id: string; name: string };
  eventWord: string;
}

export function judge(pool: Pool, receipt: ReceiptRecord): Promise<Judgement> {
  return inTransaction(pool, (client) => judgeWithin(client, receipt));
}

async function judgeWithin(client: PoolClient, receipt: ReceiptRecord): Promise<Judgement> {
  const network = await part<NetworkInput>(client, receipt.deskId, receipt.networkId);
  if (!network) throw new Error(`receipt ${receipt.id} names a network that is not there`);
  const types = await eventTypes(client, receipt.deskId);
  const read = readCall(callQuery(receipt.query, receipt.body, receipt.contentType), network.body, types);
  if (!read.ok) {
    const said: Judgement = {
      outcome: read.outcome,
      reason: read.reason,
      detail: read.detail,
      conversionId: '',
    };
    await storeOutcome(client, receipt, said, read.clickId ?? '', read.notes);
    return said;
  }
  const found = await findOwner(client, receipt, read.reading);
  if ('reason' in found) {
    const said: Judgement = { outcome: 'repair', ...found, conversionId: '' };
    await storeOutcome(client, receipt, said, read.reading.clickId ?? '', read.reading.notes);
    return said;
  }
  const { visit, eventTypeId } = found;
  const notes =
    visit.network_id === receipt.networkId ? read.reading.notes : [...read.reading.notes, 'other_network'];
  await client.query('SELECT pg_advisory_xact_lock(hashtextextended($1, 0))', [
    `${receipt.deskId}|${visit.id}|${eventTypeId}`,
  ]);
  await storeReading(client, receipt, { ...read.reading, notes }, visit, eventTypeId);
  return settleOwner(
    client,
    receipt,
    visit,
    eventTypeId,
    types.find((t) => t.id === eventTypeId)!,
  );
}

/** By click ID; else by the transaction, which must name one conversion of this network only. A stored match stays. */
async function findOwner(
  client: PoolClient,
  receipt: ReceiptRecord,
  reading: CallReading,
): Promise<{ visit: StoredVisit; eventTypeId: string } | { reason: CallReason; detail: string }> {
  const before = await client.query<{ owner: string; event_type_id: string }>(
    `SELECT owner, event_type_id FROM outcomes WHERE desk_id = $1 AND receipt_id = $2 AND owner <> ''`,
    [receipt.deskId, receipt.id],
  );
  if (reading.clickId !== null) {
    const visit = await loadVisit(client, receipt.deskId, reading.clickId);
    return visit
      ? { visit, eventTypeId: reading.eventTypeId }
      : { reason: 'unknown_click', detail: reading.clickId };
  }
  const stored = before.rows[0];
  const hits = stored
    ? [stored]
    : (
        await client.query<{ owner: string; event_type_id: string }>(
          `SELECT DISTINCT owner, event_type_id FROM conversions
           WHERE desk_id = $1 AND network_id = $2 AND transaction = $3 LIMIT 2`,
          [receipt.deskId, receipt.networkId, reading.transaction],
        )
      ).rows;
  if (hits.length > 1) return { reason: 'several_matches', detail: reading.transaction };
  const visit = hits[0] && (await loadVisit(client, receipt.deskId, hits[0].owner));
  return visit ? { visit, eventTypeId: hits[0]!.event_type_id } : { reason: 'no_click_id', detail: '' };
}

export async function loadVisit(
  client: PoolClient,
  deskId: string,
  clickId: string,
): Promise<StoredVisit | undefined> {
  const { rows } = await client.query<StoredVisit>(
    'SELECT * FROM visits WHERE desk_id = $1 AND day = $2 AND id = $3',
    [deskId, clickIdDay(clickId), clickId],
  );
  return rows[0];
}

/** Folds all readable receipts of this owner and event type, and writes what has changed. */
async function settleOwner(
  client: PoolClient,
  receipt: ReceiptRecord,
  visit: StoredVisit,
  eventTypeId: string,
  type: { id: string; word: string; repeats: boolean },
): Promise<Judgement> {
  const { rows } = await client.query<{
    receipt_id: string;
    received_at: Date;
    reading: StoredReading;
    outcome: string;
    reason: string;
    conversion_id: string;
  }>(
    `SELECT receipt_id, received_at, reading, outcome, reason, conversion_id FROM outcomes
     WHERE desk_id = $1 AND owner = $2 AND event_type_id = $3 AND is_test = $4 AND reading IS NOT NULL`,
    [receipt.deskId, visit.id, eventTypeId, visit.is_test],
  );
  const context = await loadContext(client, receipt.deskId, visit, type);
  const signals = rows.map((r) => toSignal(r.receipt_id, r.received_at, r.reading));
  const folded = foldOwner(signals, foldRules(context, type));
  const newest = [...rows].sort((a, b) => a.received_at.getTime() - b.received_at.getTime()).at(-1);
  const ids = await book(client, context, folded.conversions, receipt.id, newest?.reading.extras ?? {});
  let own: Judgement | undefined;
  for (const row of rows) {
    const verdict = folded.verdicts.get(row.receipt_id)!;
    const said = wording(verdict.verdict, row.reading.status);
    const conversionId = verdict.ident === null ? '' : (ids.get(verdict.ident) ?? '');
    if (row.outcome !== said.outcome || row.reason !== said.reason || row.conversion_id !== conversionId)
      await client.query(
        `UPDATE outcomes SET outcome = $3, reason = $4, detail = $5, conversion_id = $6, judged_at = now()
         WHERE desk_id = $1 AND receipt_id = $2`,
        [receipt.deskId, row.receipt_id, said.outcome, said.reason, said.detail, conversionId],
      );
    if (row.receipt_id === receipt.id) own = { ...said, conversionId };
  }
  return own!;
}

function foldRules(c: OwnerContext, type: { repeats: boolean }): FoldRules {
  const amount = c.offer.body.payoutMicros === '' ? null : BigInt(c.offer.body.payoutMicros);
  const fixed = c.offer.body.payoutMode === 'fixed';
  return {
    repeats: type.repeats,
    payoutMeans: c.network.body.payoutMeans,
    fixedPayout: fixed ? amount : null,
    defaultPayout: fixed ? null : amount,
    currency: c.offer.body.currency,
    windowEnd: c.visit.at.getTime() + c.offer.body.windowDays * 86_400_000,
  };
}

const outcomes: Record<SignalVerdict, [CallOutcome, CallReason]> = {
  accepted: ['accepted', 'booked'],
  updated: ['updated', 'moved'],
  duplicate: ['duplicate', 'same_again'],
  move_not_allowed: ['ignored', 'move_not_allowed'],
  outside_window: ['ignored', 'outside_window'],
};
function wording(
  verdict: SignalVerdict,
  status: string,
): { outcome: CallOutcome; reason: CallReason; detail: string } {
  const [outcome, reason] = outcomes[verdict];
  const detail = reason === 'moved' ? `now ${status}` : reason === 'move_not_allowed' ? `“${status}”` : '';
  return { outcome, reason, detail };
}

function toSignal(receiptId: string, receivedAt: Date, r: StoredReading): Signal {
  return {
    receiptId,
    receivedAt: receivedAt.getTime(),
    changedTime: r.changedTime,
    conversionTime: r.conversionTime,
    transaction: r.transaction,
    status: r.status,
    payout: r.payout === null ? null : BigInt(r.payout),
    currency: r.currency,
  };
}

async function storeOutcome(
  client: PoolClient,
  r: ReceiptRecord,
  said: Judgement,
  clickId: string,
  notes: string[],
): Promise<void> {
  await client.query(
    `INSERT INTO outcomes (desk_id, receipt_id, network_id, received_at, outcome, reason, detail, click_id, notes)
     VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)
     ON CONFLICT (desk_id, receipt_id) DO UPDATE SET
       outcome = excluded.outcome, reason = excluded.reason, detail = excluded.detail, click_id = excluded.click_id,
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

async function storeReading(
  client: PoolClient,
  r: ReceiptRecord,
  reading: CallReading,
  visit: StoredVisit,
  eventTypeId: string,
): Promise<void> {
  const stored: StoredReading = {
    transaction: reading.transaction,
    status: reading.status,
    payout: reading.payout?.toString() ?? null,
    currency: reading.currency,
    conversionTime: reading.conversionTime,
    changedTime: reading.changedTime,
    extras: reading.extras,
  };
  await client.query(
    `INSERT INTO outcomes (desk_id, receipt_id, network_id, received_at, outcome, reason, click_id, event_type_id, owner, is_test, reading, notes)
     VALUES ($1, $2, $3, $4, 'queued', 'not_judged_yet', $5, $6, $5, $7, $8, $9)
     ON CONFLICT (desk_id, receipt_id) DO UPDATE SET
       click_id = excluded.click_id, event_type_id = excluded.event_type_id, owner = excluded.owner,
       is_test = excluded.is_test, reading = excluded.reading, notes = excluded.notes, outcome = 'queued'`,
    [
      r.deskId,
      r.id,
      r.networkId,
      new Date(r.receivedMs),
      visit.id,
      eventTypeId,
      visit.is_test,
      JSON.stringify(stored),
      JSON.stringify(reading.notes),
    ],
  );
}

async function loadContext(
  client: PoolClient,
  deskId: string,
  visit: StoredVisit,
  type: { id: string; word: string },
): Promise<OwnerContext> {
  const [desk, offerNow, offerThen, network, source, campaign] = [
    (
      await client.query<{ zone: string; currency: string }>(
        'SELECT zone, currency FROM desks WHERE id = $1',
        [deskId],
      )
    ).rows[0]!,
    await part<OfferInput>(client, deskId, visit.offer_id),
    (
      await client.query<{ body: OfferInput }>(
        'SELECT body FROM part_versions WHERE part_id = $1 AND version = $2',
        [visit.offer_id, visit.offer_version],
      )
    ).rows[0],
    await part<NetworkInput>(client, deskId, visit.network_id),
    await part<SourceInput>(client, deskId, visit.source_id),
    await part<unknown>(client, deskId, visit.campaign_id),
  ];
  if (!offerNow || !network || !source || !campaign)
    throw new Error(`visit ${visit.id} names a part that is not there`);
  return {
    deskId,
    visit,
    eventTypeId: type.id,
    desk,
    // Terms are those of the version under which the visit went out, also on replay.
    offer: { ...offerNow, body: offerThen?.body ?? offerNow.body },
    network,
    source,
    campaign,
    eventWord: type.word,
  };
}

async function part<B>(
  client: PoolClient,
  deskId: string,
  id: string,
): Promise<{ id: string; name: string; body: B } | undefined> {
  const { rows } = await client.query<{ id: string; name: string; body: B }>(
    'SELECT id, name, body FROM parts WHERE desk_id = $1 AND id = $2',
    [deskId, id],
  );
  return rows[0];
}

/** Oldest first: the first is the default event type. */
async function eventTypes(
  client: PoolClient,
  deskId: string,
): Promise<{ id: string; word: string; repeats: boolean }[]> {
  const { rows } = await client.query<{ id: string; word: string; repeats: boolean }>(
    `SELECT id, body->>'word' AS word, (body->>'repeats')::boolean AS repeats FROM parts
     WHERE desk_id = $1 AND kind = 'event-type' AND state = 'live' ORDER BY id`,
    [deskId],
  );
  return rows;
}
