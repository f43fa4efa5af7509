/**
 * Judgement of receipts in a transaction of the caller's: read them, find whose they are, fold everything known of each
 * owner and event type, and book the difference. Judging again is always right: it changes nothing, or what a repaired
 * mapping now makes of it; an owner that loses a receipt that way is folded again without it.
 *
 * Each question is asked once for all receipts, so that a batch of fifty asks no more than a single one does.
 */
import type { PostbackReading, ReadPostback } from '@tracheon/core/conversions';
import { localDay } from '@tracheon/core/time';
import type { Pipelined } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import type { Bookings } from './book.ts';
import { UNPROVEN } from './callerProof.ts';
import { findOwners, type Owned } from './findOwners.ts';
import { JudgementWrites } from './judgementWrites.ts';
import {
  ownerKey,
  refusalRow,
  storedBefore,
  waitingOf,
  type Judgement,
  type Owner,
  type Refusal,
  type StoredBefore,
} from './outcomes.ts';
import { loadVisits, visitKey } from './loadVisits.ts';
import { loadReaders } from './ownerContext.ts';
import { Rates } from './rates.ts';
import { readReceipt, type Reader } from './readReceipt.ts';
import { settleOwners, type ToSettle } from './settleOwners.ts';

export interface JudgeOptions {
  /** Sources get postbacks only for new conversions since then, in ms since 1970. */
  reportSince?: number;
  /**
   * The commit does not wait for the disk: of a run whose next step is written down by one that does, and which does this
   * one again when that was lost.
   */
  commitsLater?: boolean;
}

/** In the order in which they were given. Nothing else of the caller's transaction may be judged at the same time. */
export async function judgeWithin(
  client: Pipelined,
  receipts: readonly ReceiptRecord[],
  options: JudgeOptions = {},
): Promise<Judgement[]> {
  const said = new Map<string, Judgement>();
  const writes = new JudgementWrites();
  const [readers, before] = await Promise.all([
    loadReaders(client, receipts),
    storedBefore(client, receipts),
  ]);
  const refuse = (receipt: ReceiptRecord, refusal: Omit<Judgement, 'conversionId'>, of: Refusal): void => {
    const { outcome, reason, detail } = refusal;
    const judgement = { outcome, reason, detail, conversionId: '' };
    writes.refusals.push(refusalRow(receipt, judgement, of));
    said.set(receipt.id, judgement);
  };
  const readable: Readable[] = [];
  // The same one twice is one.
  for (const receipt of new Map(receipts.map((r) => [r.id, r])).values()) {
    const earlier = before.get(receipt.id);
    if (earlier?.outcome === 'withdrawn') {
      said.set(receipt.id, { outcome: 'withdrawn', reason: 'withdrawn', detail: '', conversionId: '' });
      continue;
    }
    if (readers.get(receipt.id)!.isUndone) {
      refuse(
        receipt,
        { outcome: 'withdrawn', reason: 'withdrawn', detail: '' },
        { clickId: '', notes: [], waiting: null },
      );
      continue;
    }
    if (isPassedOn(receipt, readers.get(receipt.id)!, earlier))
      writes.relayed.push({
        desk_id: receipt.deskId,
        receipt_id: receipt.id,
        network_id: receipt.networkId,
      });
    if (receipt.held) {
      refuse(receipt, whyHeld(receipt), { clickId: '', notes: [], waiting: null });
      continue;
    }
    const reader = readers.get(receipt.id)!;
    const read = readReceipt(receipt, reader);
    const isByHand = reader.file?.isByHand === true;
    if (read.ok) readable.push({ receipt, reading: read.reading, before: earlier ?? null, isByHand });
    else refuse(receipt, sayingOf(read), refusalOf(read));
  }
  const owners = await findOwners(client, readable);
  const owned: OwnedReading[] = [];
  readable.forEach((one, i) => {
    const found = owners[i]!;
    const { receipt, reading, before: was, isByHand } = one;
    if (!('reason' in found)) {
      const { visit, eventTypeId } = found;
      return void owned.push({ receipt, reading, before: was, isByHand, visit, eventTypeId });
    }
    const { clickId = reading.clickId ?? '' } = found;
    refuse(receipt, found, { clickId, notes: reading.notes, waiting: waitingOf(reading) });
  });
  const bookings: Bookings = {
    writes,
    rates: new Rates(client),
    reportSince: options.reportSince ?? -Infinity,
  };
  for (const [id, judgement] of await bookReadings(client, bookings, owned, readers)) said.set(id, judgement);
  writes.send(client);
  return receipts.map((r) => said.get(r.id)!);
}

const OUR_TEST = /(?:^|&)_t=/;
/** Once, when it is judged first: what the network itself sent, and from where it is expected. */
function isPassedOn(
  { channel, held, query, receivedMs }: ReceiptRecord,
  { network }: Reader,
  before: StoredBefore | undefined,
): boolean {
  if (network.relayUrl === '' || held || before || OUR_TEST.test(query)) return false;
  const isOver =
    network.relayUntil !== '' && localDay(receivedMs, network.zone || 'UTC') > network.relayUntil;
  return !isOver && (channel === 'postback' || channel === 'pixel');
}

interface Readable {
  receipt: ReceiptRecord;
  reading: PostbackReading;
  before: StoredBefore | null;
  isByHand: boolean;
}
type OwnedReading = Readable & Owned;

type Unreadable = Extract<ReadPostback, { ok: false }>;
const sayingOf = ({ outcome, reason, detail }: Unreadable): Omit<Judgement, 'conversionId'> => ({
  outcome,
  reason,
  detail,
});
const refusalOf = ({ clickId, notes, waiting, kind }: Unreadable): Refusal => ({
  clickId: clickId ?? '',
  notes,
  waiting,
  ...(kind === undefined ? {} : { kind }),
});

const whyHeld = (receipt: ReceiptRecord): Omit<Judgement, 'conversionId'> =>
  receipt.headers[UNPROVEN]
    ? { outcome: 'held', reason: 'wrong_proof', detail: '' }
    : { outcome: 'held', reason: 'address_not_listed', detail: receipt.addressPrefix };

async function bookReadings(
  client: Pipelined,
  bookings: Bookings,
  owned: readonly OwnedReading[],
  readers: ReadonlyMap<string, Reader>,
): Promise<Map<string, Judgement>> {
  if (owned.length === 0) return new Map();
  const wanted = new Map<string, ToSettle>();
  const typeOf = ({ id }: ReceiptRecord, eventTypeId: string): ToSettle['eventType'] =>
    readers.get(id)!.types.find((t) => t.id === eventTypeId)!;
  for (const { receipt, reading, visit, eventTypeId, before } of owned) {
    const key = ownerKey(receipt.deskId, { visitId: visit.id, eventTypeId });
    const of = wanted.get(key) ?? toSettle(visit, typeOf(receipt, eventTypeId), receipt);
    wanted.set(key, of);
    of.fresh.push({
      receipt,
      reading: { ...reading, notes: notesOf(reading, visit.atMs) },
      isNew: before === null,
    });
  }
  await addThoseLeft(client, owned, wanted, typeOf);
  // What has been read so far is fixed for good; from here on the owners are this transaction's alone.
  lockOwners(client, [...wanted.keys()]);
  return settleOwners(client, bookings, [...wanted.values()]);
}

const toSettle = (
  visit: Owned['visit'],
  eventType: ToSettle['eventType'],
  { id, networkId }: ReceiptRecord,
): ToSettle => ({ visit, eventType, callingNetwork: networkId, cause: id, fresh: [], left: new Set() });

const notesOf = ({ conversionTime, notes }: PostbackReading, visitAtMs: number): string[] =>
  conversionTime !== null && conversionTime < visitAtMs ? [...notes, 'before_visit:conversion_time'] : notes;

/** Owners to which receipts belonged before that belong to others now. */
async function addThoseLeft(
  client: Pipelined,
  owned: readonly OwnedReading[],
  wanted: Map<string, ToSettle>,
  typeOf: (receipt: ReceiptRecord, eventTypeId: string) => ToSettle['eventType'],
): Promise<void> {
  const moved = owned.flatMap(({ receipt, visit, eventTypeId, before }) => {
    const left = before?.owner;
    const isMoved = left && (left.visitId !== visit.id || left.eventTypeId !== eventTypeId);
    return isMoved ? [{ receipt, left }] : [];
  });
  if (moved.length === 0) return;
  const names = moved.map(({ receipt, left }) => ({ deskId: receipt.deskId, clickId: left.visitId }));
  const visits = new Map(
    (await loadVisits(client, names)).map((v) => [visitKey({ deskId: v.deskId, clickId: v.id }), v]),
  );
  for (const { receipt, left } of moved) {
    const key = ownerKey(receipt.deskId, left);
    const visit = visits.get(visitKey({ deskId: receipt.deskId, clickId: left.visitId }));
    if (!visit) continue;
    const of = wanted.get(key) ?? toSettle(visit, typeOf(receipt, left.eventTypeId), receipt);
    wanted.set(key, of);
    of.left.add(receipt.id);
  }
}

/** In one order everywhere, so that two judgements that need several never wait for each other. */
function lockOwners(client: Pipelined, keys: readonly string[]): void {
  client.write(
    'SELECT pg_advisory_xact_lock(k.n) FROM (SELECT DISTINCT hashtextextended(key, 0) AS n FROM unnest($1::text[]) AS key ORDER BY 1) AS k',
    [keys],
  );
}

/**
 * What receipts booked is taken back, and nothing is left of their reading: as if they had never been understood. `outcome`
 * is what stands of them from now on; the caller judges them again, or leaves them so.
 */
export async function unread(
  client: Pipelined,
  receipts: readonly ReceiptRecord[],
  outcome: 'queued' | 'withdrawn',
): Promise<void> {
  const [readers, before] = await Promise.all([
    loadReaders(client, receipts),
    storedBefore(client, receipts),
  ]);
  const owned = receipts.flatMap((receipt) => {
    const owner = before.get(receipt.id)?.owner;
    return owner ? [{ receipt, owner }] : [];
  });
  const keys = [...new Set(owned.map(({ receipt, owner }) => ownerKey(receipt.deskId, owner)))];
  if (keys.length > 0) lockOwners(client, keys);
  client.write(
    `UPDATE outcomes SET outcome = $3, reason = $4, detail = '', conversion_id = '', judged_at = now(),
       reading = CASE WHEN $3 = 'withdrawn' THEN reading END, owner = CASE WHEN $3 = 'withdrawn' THEN owner ELSE '' END
     WHERE desk_id = ANY ($1) AND receipt_id = ANY ($2)`,
    [
      [...new Set(receipts.map((r) => r.deskId))],
      receipts.map((r) => r.id),
      outcome,
      outcome === 'queued' ? 'not_judged_yet' : 'withdrawn',
    ],
  );
  await settleThoseLeft(client, owned, readers);
}

async function settleThoseLeft(
  client: Pipelined,
  owned: readonly { receipt: ReceiptRecord; owner: Owner }[],
  readers: ReadonlyMap<string, Reader>,
): Promise<void> {
  const visits = await loadVisits(
    client,
    owned.map(({ receipt, owner }) => ({ deskId: receipt.deskId, clickId: owner.visitId })),
  );
  const found = new Map(visits.map((v) => [visitKey({ deskId: v.deskId, clickId: v.id }), v]));
  const wanted = new Map<string, ToSettle>();
  for (const { receipt, owner } of owned) {
    const visit = found.get(visitKey({ deskId: receipt.deskId, clickId: owner.visitId }));
    const eventType = readers.get(receipt.id)!.types.find((t) => t.id === owner.eventTypeId)!;
    if (visit) wanted.set(ownerKey(receipt.deskId, owner), toSettle(visit, eventType, receipt));
  }
  const writes = new JudgementWrites();
  await settleOwners(client, { writes, rates: new Rates(client), reportSince: -Infinity }, [
    ...wanted.values(),
  ]);
  writes.send(client);
}
