/** Whose a receipt is: the visit and the event type that it books on, or why it books nothing. */
import { chosenChannel, isByChannel, type PostbackReason } from '@tracheon/core/contract';
import { sameWord, type PostbackReading } from '@tracheon/core/conversions';
import { parseClickId } from '@tracheon/core/identity';
import { SENT_NOWHERE } from '@tracheon/core/visits';
import type { Reads } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import { carriedOwner, partnerOwner } from './otherOwners.ts';
import { distinct, type Judgement, type Owner, type StoredBefore } from './outcomes.ts';
import { asOfNetwork, loadVisits, visitKey } from './loadVisits.ts';
import type { OwningVisit } from './owningVisit.ts';

export interface Owned {
  visit: OwningVisit;
  eventTypeId: string;
}
export type NotOwned = Omit<Judgement, 'conversionId'> & { clickId?: string };

interface Asked {
  receipt: ReceiptRecord;
  reading: PostbackReading;
  before: StoredBefore | null;
  /** A member decided it. */
  isByHand: boolean;
}

/** More event types than these share no transaction; two visits are enough to know that it is ambiguous. */
const MAX_OWNERS = 50;

/** In the order in which they were asked. */
export async function findOwners(client: Reads, asked: readonly Asked[]): Promise<(Owned | NotOwned)[]> {
  const [byTransaction, offers] = await Promise.all([
    ownersByTransaction(client, asked.filter(isByTransaction)),
    offersOfPartners(client, asked.filter(isByPartner)),
  ]);
  const places = asked.map((one) => placeOf(one, byTransaction, offers));
  const visits = await visitsAt(client, asked, places);
  const found = asked.map((one, i) => findOwner(one, places[i]!, visits));
  const names = await networkNames(client, asked, found);
  return found.map((owner, i) => ('reason' in owner ? refused(owner) : allowed(asked[i]!, owner, names)));
}

/** Neither a click ID nor a partner nor an earlier match says whose it is. */
const isByTransaction = ({ reading, before }: Asked): boolean =>
  reading.clickIdText === '' && reading.partner === '' && !before?.owner;
const isByPartner = ({ reading, before }: Asked): boolean => reading.partner !== '' && !before?.owner;

type Refused = { reason: PostbackReason; detail: string };
type Found = Owned | Refused;
/** Where the owner is looked for, the likeliest first, and what it means when it is in none of these places. */
interface Place {
  owners: string[];
  eventTypeId: string;
  otherwise: Refused;
}

/**
 * By click ID, ours or carried over; else by the partner and its offer; else by the transaction, which must name one
 * conversion of this network only. A stored match stays.
 */
function placeOf(
  { receipt, reading, before }: Asked,
  byTransaction: ReadonlyMap<string, Owner[]>,
  offers: readonly PartnersOffer[],
): Place | Refused {
  const { clickId, clickIdText, eventTypeId, transaction } = reading;
  if (clickIdText !== '') {
    const owners = [...(clickId === null ? [] : [clickId]), carriedOwner(clickIdText)];
    return { owners, eventTypeId, otherwise: { reason: 'unknown_click', detail: clickId ?? clickIdText } };
  }
  const otherwise: Refused = { reason: 'unknown_transaction', detail: transaction };
  const isOfPartner = reading.partner !== '';
  if (before?.owner) {
    const { visitId, eventTypeId: stored } = before.owner;
    return { owners: [visitId], eventTypeId: isOfPartner ? eventTypeId : stored, otherwise };
  }
  if (isOfPartner) {
    const offerId = offerMeant(offers, receipt, reading.offer);
    if (offerId === null) return { reason: 'unknown_offer', detail: reading.offer };
    return {
      owners: [partnerOwner({ offerId, partner: reading.partner, transaction })],
      eventTypeId,
      otherwise: { reason: 'unknown_offer', detail: reading.offer },
    };
  }
  const hits = byTransaction.get(transactionKey(receipt, transaction)) ?? [];
  if (new Set(hits.map((h) => h.visitId)).size > 1) return { reason: 'several_matches', detail: transaction };
  const [hit] = hits;
  // The event that is told says which of the visit's conversions is meant; where none is told, the one that was found.
  const isOneEvent = new Set(hits.map((h) => h.eventTypeId)).size === 1;
  return {
    owners: hit ? [hit.visitId] : [],
    eventTypeId: reading.isEventTold || !isOneEvent ? eventTypeId : hit!.eventTypeId,
    otherwise,
  };
}

type VisitsThere = ReadonlyMap<string, OwningVisit>;

/** A second place is looked at only where the first one is empty. */
async function visitsAt(
  client: Reads,
  asked: readonly Asked[],
  places: readonly (Place | Refused)[],
): Promise<VisitsThere> {
  const visits = new Map<string, OwningVisit>();
  for (const nth of [0, 1]) {
    const names = places.flatMap((place, i) => {
      const { deskId } = asked[i]!.receipt;
      if ('reason' in place || visitIn(visits, deskId, place)) return [];
      return place.owners.slice(nth, nth + 1).map((clickId) => ({ deskId, clickId }));
    });
    for (const v of await loadVisits(client, names))
      visits.set(visitKey({ deskId: v.deskId, clickId: v.id }), v);
  }
  return visits;
}

function visitIn(visits: VisitsThere, deskId: string, { owners }: Place): OwningVisit | undefined {
  for (const clickId of owners) {
    const visit = visits.get(visitKey({ deskId, clickId }));
    if (visit) return visit;
  }
  return undefined;
}

function findOwner({ receipt, reading }: Asked, place: Place | Refused, visits: VisitsThere): Found {
  if ('reason' in place) return place;
  const visit = visitIn(visits, receipt.deskId, place);
  if (!visit) return place.otherwise;
  const wasSentNowhere = visit.fate === 'no_offer' || visit.notes.includes(SENT_NOWHERE);
  if (reading.clickIdText !== '' && wasSentNowhere) return { reason: 'sent_to_no_offer', detail: '' };
  return { visit, eventTypeId: place.eventTypeId };
}

interface PartnersOffer {
  id: string;
  desk_id: string;
  network_id: string;
  foreign: string;
  live: boolean;
}
/** Offers of the networks that name partners; live ones first. */
async function offersOfPartners(client: Reads, asked: readonly Asked[]): Promise<PartnersOffer[]> {
  if (asked.length === 0) return [];
  const { rows } = await client.query<PartnersOffer>(
    `SELECT id, desk_id, body->>'networkId' AS network_id, coalesce(body->>'idAtNetwork', '') AS foreign, state = 'live' AS live
     FROM parts WHERE kind = 'offer' AND desk_id = ANY ($1) AND body->>'networkId' = ANY ($2) ORDER BY state = 'live' DESC, id`,
    [distinct(asked.map((a) => a.receipt.deskId)), distinct(asked.map((a) => a.receipt.networkId))],
  );
  return rows;
}

/** By the network's ID of the offer, or by ours; where none is told, the only live one. Null where that is not certain. */
function offerMeant(offers: readonly PartnersOffer[], receipt: ReceiptRecord, told: string): string | null {
  const own = offers.filter((o) => o.desk_id === receipt.deskId && o.network_id === receipt.networkId);
  if (told === '') {
    const live = own.filter((o) => o.live);
    return live.length === 1 ? live[0]!.id : null;
  }
  const named = own.filter((o) => o.foreign !== '' && sameWord(o.foreign, told));
  const ofThose = named.some((o) => o.live) ? named.filter((o) => o.live) : named;
  if (ofThose.length > 0) return ofThose.length === 1 ? ofThose[0]!.id : null;
  return own.find((o) => o.id === parseClickId(told))?.id ?? null;
}

const refused = (owner: { reason: PostbackReason; detail: string }): NotOwned => ({
  outcome: 'repair',
  reason: owner.reason,
  detail: owner.detail,
});

/** Whose a visit to a fallback address was is not known before somebody pays for it. */
const offered = (visit: OwningVisit, receipt: ReceiptRecord): OwningVisit | null =>
  visit.networkId === '' ? visit : asOfNetwork(visit, receipt.networkId, receipt.receivedMs);

/** Conversions of the visit come from this network, and by this channel. */
function allowed(
  { receipt, before, isByHand }: Asked,
  { visit, eventTypeId }: Owned,
  names: ReadonlyMap<string, string>,
): Owned | NotOwned {
  const as = offered(visit, receipt);
  if (as === null) {
    const detail = names.get(visit.networkId) ?? '';
    return { outcome: 'repair', reason: 'other_network', detail, clickId: visit.shownClickId };
  }
  const chosen = chosenChannel({ conversionsFrom: as.conversionsFrom ?? [] }, eventTypeId);
  // What was booked before the channel was moved stays: only money that has not been counted yet is left to the other channel.
  if (!before?.owner && !isByHand && !isByChannel(receipt.channel, chosen)) {
    const detail = chosen ?? 'postbacks';
    return { outcome: 'ignored', reason: 'other_channel', detail, clickId: visit.shownClickId };
  }
  return { visit, eventTypeId };
}

/** Of the networks whose visits others told of. */
async function networkNames(
  client: Reads,
  asked: readonly Asked[],
  found: readonly Found[],
): Promise<Map<string, string>> {
  const ids = found.flatMap((owner, i) =>
    'reason' in owner || offered(owner.visit, asked[i]!.receipt) !== null ? [] : [owner.visit.networkId],
  );
  if (ids.length === 0) return new Map();
  const { rows } = await client.query<{ id: string; name: string }>(
    'SELECT id, name FROM parts WHERE desk_id = ANY ($1) AND id = ANY ($2)',
    [distinct(asked.map((a) => a.receipt.deskId)), distinct(ids)],
  );
  return new Map(rows.map((r) => [r.id, r.name]));
}

const transactionKey = ({ deskId, networkId }: ReceiptRecord, transaction: string): string =>
  `${deskId}|${networkId}|${transaction}`;

/** Conversions with these transactions, of the network that tells: the visits that they belong to, and their event types. */
async function ownersByTransaction(client: Reads, asked: readonly Asked[]): Promise<Map<string, Owner[]>> {
  const found = new Map<string, Owner[]>();
  if (asked.length === 0) return found;
  const once = new Map(asked.map((a) => [transactionKey(a.receipt, a.reading.transaction), a]));
  const keys = [...once.values()];
  const { rows } = await client.query<Owner & { key: string }>(
    `SELECT k.key, c.* FROM unnest($1::text[], $2::text[], $3::text[], $4::text[]) AS k (key, desk, network, transaction)
     CROSS JOIN LATERAL (
       SELECT DISTINCT owner AS "visitId", event_type_id AS "eventTypeId" FROM conversions
       WHERE desk_id = k.desk AND network_id = k.network AND transaction = k.transaction AND transaction <> ''
       LIMIT ${MAX_OWNERS}) c`,
    [
      [...once.keys()],
      keys.map((a) => a.receipt.deskId),
      keys.map((a) => a.receipt.networkId),
      keys.map((a) => a.reading.transaction),
    ],
  );
  for (const { key, visitId, eventTypeId } of rows)
    found.set(key, [...(found.get(key) ?? []), { visitId, eventTypeId }]);
  return found;
}
