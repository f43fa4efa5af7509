/** Everything that judging one visit's calls works with, read inside the judgement's transaction. */
import {
  wholeBody,
  type CampaignInput,
  type EventTypeInput,
  type NetworkInput,
  type OfferInput,
  type SourceInput,
} from '@tracheon/core/contract';
import { convertingOffer } from '@tracheon/core/conversions';
import type { EventTypeRule, FileReading, OfferClick } from '@tracheon/core/conversions';
import { clickIdDay } from '@tracheon/core/identity';
import { readVisitRow, type StoredVisit } from '@tracheon/core/visits';
import type { Reads } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import type { Reader } from './readReceipt.ts';

/** The visit that owns a conversion, and what its offer says of conversions today. */
export interface OwningVisit extends StoredVisit {
  /** The source is told of this test, as a member ticked. */
  isReportedTest: boolean;
  /** null for an offer saved before there was a choice, and for no offer. */
  conversionsFrom: OfferInput['conversionsFrom'] | null;
  /** The first click of each button that has an offer of its own, oldest first; empty where all lead to the visit's offer. */
  clicked: OfferOfClick[];
}
/** What the visit would carry, had it been sent to the button's offer straight away. */
export interface OfferOfClick
  extends OfferClick, Pick<OwningVisit, 'offerId' | 'offerVersion' | 'networkId' | 'conversionsFrom'> {}
export interface OwnerContext {
  deskId: string;
  visit: OwningVisit;
  eventType: EventTypeRule;
  desk: { zone: string; currency: string };
  /** null for a visit that was sent to a fallback address: no terms of an offer hold for it. */
  offer: StoredPart<OfferInput> | null;
  network: StoredPart<NetworkInput>;
  source: StoredPart<SourceInput>;
  /** null for a direct link. */
  landing: StoredPart<unknown> | null;
  campaign: StoredPart<CampaignInput>;
}
export interface StoredPart<B> {
  id: string;
  name: string;
  body: B;
}

/** The offer's version is the one under which the visit came. */
const CLICKED = `SELECT jsonb_agg(jsonb_build_object('offerId', c.offer_id, 'networkId', o.body->>'networkId',
    'conversionsFrom', o.body->'conversionsFrom', 'atMs', (extract(epoch FROM c.at) * 1000)::bigint,
    'offerVersion', COALESCE((SELECT max(w.version) FROM part_versions w
      WHERE w.desk_id = v.desk_id AND w.part_id = o.id AND w.changed_at <= v.at), 1)) ORDER BY c.id)
  FROM (SELECT DISTINCT ON (b.n) b.n, b.id, b.at, b.offer_id FROM button_clicks b
    WHERE b.desk_id = v.desk_id AND b.day = v.day AND b.visit_id = v.id AND b.offer_id <> '' ORDER BY b.n, b.id) c
  JOIN parts o ON o.desk_id = v.desk_id AND o.id = c.offer_id`;

export async function loadVisit(
  client: Reads,
  deskId: string,
  clickId: string,
): Promise<OwningVisit | undefined> {
  const { rows } = await client.query<
    Record<string, unknown> &
      Pick<OwningVisit, 'conversionsFrom' | 'isReportedTest'> & { clicked: OfferOfClick[] | null }
  >(
    `SELECT v.*, p.body->'conversionsFrom' AS "conversionsFrom",
       v.is_test AND EXISTS (SELECT 1 FROM reported_tests t WHERE t.desk_id = v.desk_id AND t.click_id = v.id) AS "isReportedTest",
       CASE WHEN v.landing_id <> '' THEN (${CLICKED}) END AS clicked
     FROM visits v
     LEFT JOIN parts p ON p.desk_id = v.desk_id AND p.id = v.offer_id
     WHERE v.desk_id = $1 AND v.day = $2 AND v.id = $3`,
    [deskId, clickIdDay(clickId), clickId],
  );
  const [row] = rows;
  if (!row) return undefined;
  const { conversionsFrom, isReportedTest } = row;
  const visit = readVisitRow(row);
  const clicked = row.clicked ?? [];
  const isOwn = clicked.every((c) => c.offerId === visit.offerId);
  return { ...visit, conversionsFrom, isReportedTest, clicked: isOwn ? [] : clicked };
}

/** The visit as one of the offer that this network's call at this moment is about; null where it has none of this network. */
export function asOfNetwork(visit: OwningVisit, networkId: string, toldMs: number): OwningVisit | null {
  const offer = convertingOffer(visit, visit.clicked, networkId, toldMs);
  if (offer === null) return null;
  const { offerId, offerVersion, conversionsFrom } = offer;
  return { ...visit, offerId, offerVersion, conversionsFrom, networkId };
}

/**
 * `networkId` is of the network that pays: the visit's own, or of whoever calls for a visit without an offer.
 * Throws when the visit names a part that is not there: parts are archived, never removed.
 */
export async function loadContext(
  client: Reads,
  deskId: string,
  visit: OwningVisit,
  networkId: string,
  eventType: EventTypeRule,
): Promise<OwnerContext> {
  const { rows } = await client.query<
    StoredPart<unknown> & { zone: string; currency: string; then: OfferInput | null }
  >(
    `SELECT p.id, p.name, p.body, d.zone, d.currency, v.body AS then FROM parts p JOIN desks d ON d.id = p.desk_id
     LEFT JOIN part_versions v ON v.part_id = p.id AND p.id = $3 AND v.version = $4
     WHERE p.desk_id = $1 AND p.id = ANY ($2)`,
    [
      deskId,
      [visit.offerId, networkId, visit.sourceId, visit.campaignId, visit.landingId],
      visit.offerId,
      visit.offerVersion,
    ],
  );
  const of = <B>(id: string) =>
    rows.find((r) => r.id === id) as ((typeof rows)[number] & { body: B }) | undefined;
  const offer = of<OfferInput>(visit.offerId);
  const network = of<NetworkInput>(networkId);
  const source = of<SourceInput>(visit.sourceId);
  const campaign = of<CampaignInput>(visit.campaignId);
  if ((!offer && visit.offerId !== '') || !network || !source || !campaign)
    throw new Error(`visit ${visit.id} names a part that is not there`);
  return {
    deskId,
    visit,
    eventType,
    desk: { zone: network.zone, currency: network.currency },
    // Terms are those of the version under which the visit went out, also on replay.
    offer: offer ? { ...offer, body: wholeBody('offer', offer.then ?? offer.body) } : null,
    network: { ...network, body: wholeBody('network', network.body) },
    source: { ...source, body: wholeBody('source', source.body) },
    landing: of<unknown>(visit.landingId) ?? null,
    campaign,
  };
}

/**
 * What reading a call needs: its network, and the event types, oldest first: the first live one is the default.
 * Archived ones still book what began under them.
 */
export async function loadReading(
  client: Reads,
  deskId: string,
  networkId: string,
): Promise<{
  network: NetworkInput | undefined;
  types: (EventTypeRule & { name: string; live: boolean })[];
}> {
  const { rows } = await client.query<{ id: string; kind: string; live: boolean; body: unknown }>(
    `SELECT id, kind, state = 'live' AS live, body FROM parts
     WHERE desk_id = $1 AND (id = $2 OR kind = 'event-type') ORDER BY id`,
    [deskId, networkId],
  );
  const network = rows.find((r) => r.id === networkId);
  return {
    network: network && wholeBody('network', network.body),
    types: rows
      .filter((r) => r.kind === 'event-type')
      .map(({ id, live, body }) => {
        const { name, word, repeats } = body as EventTypeInput;
        return { id, name, word, repeats, live };
      }),
  };
}

/** What one receipt is read by: the network, the event types, and how the file that it came by was said to write. */
export async function loadReader(
  client: Reads,
  { id, deskId, networkId, batchId, channel }: ReceiptRecord,
): Promise<Reader> {
  const [{ network, types }, batch] = await Promise.all([
    loadReading(client, deskId, networkId),
    channel === 'file'
      ? client.query<{ settings: FileReading }>(
          'SELECT settings FROM receipt_batches WHERE desk_id = $1 AND id = $2',
          [deskId, batchId],
        )
      : null,
  ]);
  if (!network) throw new Error(`receipt ${id} names a network that is not there`);
  return { network, types, file: batch?.rows[0]?.settings ?? null };
}
