/** Everything that judging one visit's calls works with, read inside the judgement's transaction. */
import {
  wholeBody,
  type CampaignInput,
  type EventTypeInput,
  type NetworkInput,
  type OfferInput,
  type SourceInput,
} from '@tracheon/core/contract';
import type { EventTypeRule } from '@tracheon/core/conversions';
import { clickIdDay } from '@tracheon/core/identity';
import type { Reads } from '../db/pools.ts';

/** The stored visit, as far as judging and tokens need it. */
export interface StoredVisit {
  id: string;
  at: Date;
  is_bot: boolean;
  is_test: boolean;
  /** The source is told of this test, as a member ticked. */
  is_reported_test: boolean;
  campaign_id: string;
  source_id: string;
  /** Empty when the campaign was stopped: the visitor was sent nowhere. */
  offer_id: string;
  offer_version: number;
  network_id: string;
  /** Empty for a direct link. */
  landing_id: string;
  landing_version: number;
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
  notes: string[];
  /** Of its offer as it is now; null for an offer saved before there was a choice. */
  conversionsFrom: OfferInput['conversionsFrom'] | null;
}
export interface OwnerContext {
  deskId: string;
  visit: StoredVisit;
  eventType: EventTypeRule;
  desk: { zone: string; currency: string };
  offer: StoredPart<OfferInput>;
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

export async function loadVisit(
  client: Reads,
  deskId: string,
  clickId: string,
): Promise<StoredVisit | undefined> {
  const { rows } = await client.query<StoredVisit>(
    `SELECT v.*, p.body->'conversionsFrom' AS "conversionsFrom",
       v.is_test AND EXISTS (SELECT 1 FROM reported_tests t WHERE t.desk_id = v.desk_id AND t.click_id = v.id) AS is_reported_test
     FROM visits v
     LEFT JOIN parts p ON p.desk_id = v.desk_id AND p.id = v.offer_id
     WHERE v.desk_id = $1 AND v.day = $2 AND v.id = $3`,
    [deskId, clickIdDay(clickId), clickId],
  );
  return rows[0];
}

/** Throws when the visit names a part that is not there: parts are archived, never removed. */
export async function loadContext(
  client: Reads,
  deskId: string,
  visit: StoredVisit,
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
      [visit.offer_id, visit.network_id, visit.source_id, visit.campaign_id, visit.landing_id],
      visit.offer_id,
      visit.offer_version,
    ],
  );
  const of = <B>(id: string) =>
    rows.find((r) => r.id === id) as ((typeof rows)[number] & { body: B }) | undefined;
  const offer = of<OfferInput>(visit.offer_id);
  const network = of<NetworkInput>(visit.network_id);
  const source = of<SourceInput>(visit.source_id);
  const campaign = of<CampaignInput>(visit.campaign_id);
  if (!offer || !network || !source || !campaign)
    throw new Error(`visit ${visit.id} names a part that is not there`);
  return {
    deskId,
    visit,
    eventType,
    desk: { zone: offer.zone, currency: offer.currency },
    // Terms are those of the version under which the visit went out, also on replay.
    offer: { ...offer, body: wholeBody('offer', offer.then ?? offer.body) },
    network: { ...network, body: wholeBody('network', network.body) },
    source: { ...source, body: wholeBody('source', source.body) },
    landing: of<unknown>(visit.landing_id) ?? null,
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
