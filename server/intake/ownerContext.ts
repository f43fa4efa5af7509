/** Everything that judging one visit's calls works with, read inside the judgement's transaction. */
import {
  wholeBody,
  type CampaignInput,
  type ConversionStatus,
  type EventTypeInput,
  type NetworkInput,
  type OfferInput,
  type PartKind,
  type SourceInput,
} from '@tracheon/core/contract';
import type { EventTypeRule, FileReading } from '@tracheon/core/conversions';
import type { Reads } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import { distinct } from './outcomes.ts';
import type { OwningVisit } from './owningVisit.ts';
import type { Reader } from './readReceipt.ts';

export interface OwnerContext {
  deskId: string;
  visit: OwningVisit;
  eventType: EventTypeRule;
  desk: { zone: string; currency: string };
  /** null for a visit that was sent to a fallback address: no terms of an offer hold for it. */
  offer: StoredPart<OfferInput> | null;
  network: StoredPart<NetworkInput>;
  /** null for a partner's conversion, which no source brought. */
  source: StoredPart<SourceInput> | null;
  /** null for a direct link. */
  landing: StoredPart<unknown> | null;
  /** null for a partner's conversion. */
  campaign: StoredPart<CampaignInput> | null;
  /** What the partner who brought the visit wants to be told; null: nothing. */
  partnerPostback: PartnerPostback | null;
}
/** As it is kept. */
export interface PartnerPostback {
  method: 'get' | 'pixel';
  url: string;
  statuses: ConversionStatus[];
}
/** Of a conversion that a source brought. */
export type SourcedContext = OwnerContext & {
  source: StoredPart<SourceInput>;
  campaign: StoredPart<CampaignInput>;
};
export const isSourced = (context: OwnerContext): context is SourcedContext =>
  context.source !== null && context.campaign !== null;
export interface StoredPart<B> {
  id: string;
  name: string;
  body: B;
}

/** Whose context is asked for. `networkId` is of the network that pays: the visit's own, or of whoever calls for a visit without an offer. */
export interface ContextWanted {
  visit: OwningVisit;
  networkId: string;
  eventType: EventTypeRule;
}

/**
 * In the order in which they were asked for. What several of them name is read once.
 * Throws when a visit names a part that is not there: parts are archived, never removed.
 */
export async function loadContexts(client: Reads, wanted: readonly ContextWanted[]): Promise<OwnerContext[]> {
  if (wanted.length === 0) return [];
  const [parts, versions, postbacks] = await Promise.all([
    client.query<PartRow>(
      `SELECT p.desk_id, p.id, p.kind, p.name, p.body, d.zone, d.currency FROM parts p JOIN desks d ON d.id = p.desk_id
       WHERE p.desk_id = ANY ($1) AND p.id = ANY ($2)`,
      [
        distinct(wanted.map((w) => w.visit.deskId)),
        distinct(
          wanted.flatMap(({ visit: v, networkId }) => [
            v.offerId,
            networkId,
            v.sourceId,
            v.campaignId,
            v.landingId,
          ]),
        ),
      ],
    ),
    client.query<{ part_id: string; version: number; body: unknown }>(
      `SELECT v.part_id, v.version, v.body FROM unnest($1::text[], $2::int[]) AS k (id, version)
       JOIN part_versions v ON v.part_id = k.id AND v.version = k.version`,
      versionsOf(wanted),
    ),
    partnerPostbacks(client, wanted),
  ]);
  const known = new KnownParts(parts.rows, versions.rows);
  return wanted.map((w) => {
    const key = `${w.visit.deskId}|${w.visit.broughtBy}`;
    return contextOf(known, w, postbacks.get(key) ?? null);
  });
}

/** By desk and partner. Asked for only where a partner is there. */
async function partnerPostbacks(
  client: Reads,
  wanted: readonly ContextWanted[],
): Promise<ReadonlyMap<string, PartnerPostback>> {
  const partners = wanted.filter((w) => w.visit.broughtBy !== '').map((w) => w.visit);
  if (partners.length === 0) return new Map();
  const { rows } = await client.query<PartnerPostback & { desk_id: string; partner_id: string }>(
    `SELECT b.desk_id, b.partner_id, b.method, b.url, b.statuses FROM partner_postbacks b
     JOIN parts p ON p.desk_id = b.desk_id AND p.id = b.partner_id AND p.state = 'live'
     WHERE b.desk_id = ANY ($1) AND b.partner_id = ANY ($2)`,
    [distinct(partners.map((v) => v.deskId)), distinct(partners.map((v) => v.broughtBy))],
  );
  return new Map(rows.map((r) => [`${r.desk_id}|${r.partner_id}`, r]));
}

/** Each offer in each version that is asked for, once. */
function versionsOf(wanted: readonly ContextWanted[]): [string[], number[]] {
  const once = new Map(wanted.map(({ visit: v }) => [`${v.offerId}|${v.offerVersion}`, v]));
  const visits = [...once.values()];
  return [visits.map((v) => v.offerId), visits.map((v) => v.offerVersion)];
}

interface PartRow extends StoredPart<unknown> {
  desk_id: string;
  kind: PartKind;
  zone: string;
  currency: string;
}

/** Bodies are completed once for each part and version. */
class KnownParts {
  private readonly parts: ReadonlyMap<string, PartRow>;
  private readonly then: ReadonlyMap<string, OfferInput>;

  constructor(
    parts: readonly PartRow[],
    versions: readonly { part_id: string; version: number; body: unknown }[],
  ) {
    this.parts = new Map(
      parts.map((p) => [`${p.desk_id}|${p.id}`, { ...p, body: wholeBody(p.kind, p.body) }]),
    );
    this.then = new Map(versions.map((v) => [`${v.part_id}|${v.version}`, wholeBody('offer', v.body)]));
  }
  of<B>(deskId: string, id: string): (PartRow & { body: B }) | undefined {
    return this.parts.get(`${deskId}|${id}`) as (PartRow & { body: B }) | undefined;
  }
  /** Terms are those of the version under which the visit went out, also on replay. */
  offerOf({ deskId, offerId, offerVersion }: OwningVisit): StoredPart<OfferInput> | undefined {
    const now = this.of<OfferInput>(deskId, offerId);
    return now && { ...now, body: this.then.get(`${offerId}|${offerVersion}`) ?? now.body };
  }
}

function contextOf(
  known: KnownParts,
  { visit, networkId, eventType }: ContextWanted,
  partnerPostback: PartnerPostback | null,
): OwnerContext {
  const { deskId } = visit;
  const offer = known.offerOf(visit);
  const network = known.of<NetworkInput>(deskId, networkId);
  const source = known.of<SourceInput>(deskId, visit.sourceId);
  const campaign = known.of<CampaignInput>(deskId, visit.campaignId);
  const isSourceMissing = visit.ownedBy !== 'partner' && (!source || !campaign);
  if ((!offer && visit.offerId !== '') || !network || isSourceMissing)
    throw new Error(`visit ${visit.id} names a part that is not there`);
  return {
    deskId,
    visit,
    eventType,
    desk: { zone: network.zone, currency: network.currency },
    offer: offer ?? null,
    network,
    source: source ?? null,
    landing: known.of<unknown>(deskId, visit.landingId) ?? null,
    campaign: campaign ?? null,
    partnerPostback,
  };
}

export interface NetworkReading {
  network: NetworkInput | undefined;
  types: (EventTypeRule & { name: string; live: boolean })[];
}

/**
 * What reading a call needs: its network, and the event types, oldest first: the first live one is the default.
 * Archived ones still book what began under them.
 */
export async function loadReading(client: Reads, deskId: string, networkId: string): Promise<NetworkReading> {
  return (await loadReadings(client, [{ deskId, networkId }])).get(`${deskId}|${networkId}`)!;
}

/** By desk and network. */
async function loadReadings(
  client: Reads,
  wanted: readonly { deskId: string; networkId: string }[],
): Promise<Map<string, NetworkReading>> {
  const { rows } = await client.query<{
    desk_id: string;
    id: string;
    kind: string;
    live: boolean;
    body: unknown;
  }>(
    `SELECT desk_id, id, kind, state = 'live' AS live, body FROM parts
     WHERE desk_id = ANY ($1) AND (id = ANY ($2) OR kind = 'event-type') ORDER BY id`,
    [distinct(wanted.map((w) => w.deskId)), distinct(wanted.map((w) => w.networkId))],
  );
  const readings = new Map<string, NetworkReading>();
  for (const { deskId, networkId } of wanted) {
    const key = `${deskId}|${networkId}`;
    if (readings.has(key)) continue;
    const own = rows.filter((r) => r.desk_id === deskId);
    const network = own.find((r) => r.id === networkId);
    readings.set(key, {
      network: network && wholeBody('network', network.body),
      types: own
        .filter((r) => r.kind === 'event-type')
        .map(({ id, live, body }) => {
          const { name, word, repeats } = body as EventTypeInput;
          return { id, name, word, repeats, live };
        }),
    });
  }
  return readings;
}

export const loadReader = async (client: Reads, receipt: ReceiptRecord): Promise<Reader> =>
  (await loadReaders(client, [receipt])).get(receipt.id)!;

/** What each receipt is read by: the network, the event types, and how the file that it came by was said to write. */
export async function loadReaders(
  client: Reads,
  receipts: readonly ReceiptRecord[],
): Promise<Map<string, Reader>> {
  const batchIds = distinct(receipts.filter((r) => r.channel === 'file').map((r) => r.batchId));
  const [readings, batches] = await Promise.all([
    loadReadings(client, receipts),
    batchIds.length === 0
      ? null
      : client.query<{ id: string; settings: FileReading; isUndone: boolean }>(
          `SELECT id, settings, state IN ('undoing', 'undone') AS "isUndone" FROM receipt_batches
           WHERE desk_id = ANY ($1) AND id = ANY ($2)`,
          [distinct(receipts.map((r) => r.deskId)), batchIds],
        ),
  ]);
  const files = new Map(batches?.rows.map((b) => [b.id, b]));
  return new Map(
    receipts.map(({ id, deskId, networkId, batchId, channel }) => {
      const { network, types } = readings.get(`${deskId}|${networkId}`)!;
      if (!network) throw new Error(`receipt ${id} names a network that is not there`);
      const batch = channel === 'file' ? files.get(batchId) : undefined;
      return [id, { network, types, file: batch?.settings ?? null, isUndone: batch?.isUndone === true }];
    }),
  );
}
