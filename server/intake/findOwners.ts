/** Whose a receipt is: the visit and the event type that it books on, or why it books nothing. */
import { chosenChannel, isByChannel, type PostbackReason } from '@tracheon/core/contract';
import type { PostbackReading } from '@tracheon/core/conversions';
import { SENT_NOWHERE } from '@tracheon/core/visits';
import type { Reads } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import { distinct, type Judgement, type Owner, type StoredBefore } from './outcomes.ts';
import { asOfNetwork, loadVisits, visitKey, type OwningVisit } from './ownerContext.ts';

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
  const byTransaction = await ownersByTransaction(client, asked.filter(isByTransaction));
  const hitsOf = ({ receipt, reading }: Asked): Owner[] =>
    byTransaction.get(transactionKey(receipt, reading.transaction)) ?? [];
  const visits = new Map(
    (
      await loadVisits(
        client,
        asked.flatMap((one) =>
          visitIdsOf(one, hitsOf(one)).map((clickId) => ({ deskId: one.receipt.deskId, clickId })),
        ),
      )
    ).map((v) => [visitKey({ deskId: v.deskId, clickId: v.id }), v]),
  );
  const found = asked.map((one) =>
    findOwner(one, hitsOf(one), (clickId) => visits.get(visitKey({ deskId: one.receipt.deskId, clickId }))),
  );
  const names = await networkNames(client, asked, found);
  return found.map((owner, i) => ('reason' in owner ? refused(owner) : allowed(asked[i]!, owner, names)));
}

/** Neither a click ID nor an earlier match says whose it is. */
const isByTransaction = ({ reading, before }: Asked): boolean => reading.clickId === null && !before?.owner;

function visitIdsOf({ reading, before }: Asked, hits: readonly Owner[]): string[] {
  if (reading.clickId !== null) return [reading.clickId];
  if (before?.owner) return [before.owner.visitId];
  return hits.length > 0 ? [hits[0]!.visitId] : [];
}

type Found = Owned | { reason: PostbackReason; detail: string };

/** By click ID; else by the transaction, which must name one conversion of this network only. A stored match stays. */
function findOwner(
  { reading, before }: Asked,
  hits: readonly Owner[],
  visitOf: (clickId: string) => OwningVisit | undefined,
): Found {
  if (reading.clickId !== null) {
    const visit = visitOf(reading.clickId);
    if (!visit) return { reason: 'unknown_click', detail: reading.clickId };
    if (visit.fate === 'no_offer' || visit.notes.includes(SENT_NOWHERE))
      return { reason: 'sent_to_no_offer', detail: '' };
    return { visit, eventTypeId: reading.eventTypeId };
  }
  if (before?.owner) return asFound(visitOf(before.owner.visitId), before.owner.eventTypeId, reading);
  if (new Set(hits.map((h) => h.visitId)).size > 1)
    return { reason: 'several_matches', detail: reading.transaction };
  const [hit] = hits;
  // The event that is told says which of the visit's conversions is meant; where none is told, the one that was found.
  const isOneEvent = new Set(hits.map((h) => h.eventTypeId)).size === 1;
  const eventTypeId = reading.isEventTold || !isOneEvent ? reading.eventTypeId : hit!.eventTypeId;
  return asFound(hit && visitOf(hit.visitId), eventTypeId, reading);
}

const asFound = (visit: OwningVisit | undefined, eventTypeId: string, reading: PostbackReading): Found =>
  visit ? { visit, eventTypeId } : { reason: 'unknown_transaction', detail: reading.transaction };

const refused = (owner: { reason: PostbackReason; detail: string }): NotOwned => ({
  outcome: 'repair',
  ...owner,
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
    return { outcome: 'repair', reason: 'other_network', detail, clickId: visit.id };
  }
  const chosen = chosenChannel({ conversionsFrom: as.conversionsFrom ?? [] }, eventTypeId);
  // What was booked before the channel was moved stays: only money that has not been counted yet is left to the other channel.
  if (!before?.owner && !isByHand && !isByChannel(receipt.channel, chosen)) {
    const detail = chosen ?? 'postbacks';
    return { outcome: 'ignored', reason: 'other_channel', detail, clickId: visit.id };
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
  for (const { key, ...owner } of rows) found.set(key, [...(found.get(key) ?? []), owner]);
  return found;
}
