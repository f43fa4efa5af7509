/** Everything that judging one visit's calls works with, read inside the judgement's transaction. */
import type { PoolClient } from 'pg';
import type { NetworkInput, OfferInput, SourceInput } from '@tracheon/core/contract';
import type { EventTypeRule } from '@tracheon/core/conversions';
import { clickIdDay } from '@tracheon/core/identity';

/** The stored visit, as far as judging and tokens need it. */
export interface StoredVisit {
  id: string;
  at: Date;
  is_bot: boolean;
  is_test: boolean;
  campaign_id: string;
  source_id: string;
  /** Empty when the campaign was stopped: the visitor was sent nowhere. */
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
export interface OwnerContext {
  deskId: string;
  visit: StoredVisit;
  eventType: EventTypeRule;
  desk: { zone: string; currency: string };
  offer: StoredPart<OfferInput>;
  network: StoredPart<NetworkInput>;
  source: StoredPart<SourceInput>;
  campaign: StoredPart<unknown>;
}
export interface StoredPart<B> {
  id: string;
  name: string;
  body: B;
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

/** Throws when the visit names a part that is not there: parts are archived, never removed. */
export async function loadContext(
  client: PoolClient,
  deskId: string,
  visit: StoredVisit,
  eventType: EventTypeRule,
): Promise<OwnerContext> {
  const desk = await client.query<{ zone: string; currency: string }>(
    'SELECT zone, currency FROM desks WHERE id = $1',
    [deskId],
  );
  const then = await client.query<{ body: OfferInput }>(
    'SELECT body FROM part_versions WHERE part_id = $1 AND version = $2',
    [visit.offer_id, visit.offer_version],
  );
  const offer = await loadPart<OfferInput>(client, deskId, visit.offer_id);
  const network = await loadPart<NetworkInput>(client, deskId, visit.network_id);
  const source = await loadPart<SourceInput>(client, deskId, visit.source_id);
  const campaign = await loadPart<unknown>(client, deskId, visit.campaign_id);
  if (!offer || !network || !source || !campaign)
    throw new Error(`visit ${visit.id} names a part that is not there`);
  return {
    deskId,
    visit,
    eventType,
    desk: desk.rows[0]!,
    // Terms are those of the version under which the visit went out, also on replay.
    offer: { ...offer, body: then.rows[0]?.body ?? offer.body },
    network,
    source,
    campaign,
  };
}

export async function loadPart<B>(
  client: PoolClient,
  deskId: string,
  id: string,
): Promise<StoredPart<B> | undefined> {
  const { rows } = await client.query<StoredPart<B>>(
    'SELECT id, name, body FROM parts WHERE desk_id = $1 AND id = $2',
    [deskId, id],
  );
  return rows[0];
}

/** Oldest first: the first live one is the default. Archived ones still book what began under them. */
export async function loadEventTypes(
  client: PoolClient,
  deskId: string,
): Promise<(EventTypeRule & { live: boolean })[]> {
  const { rows } = await client.query<EventTypeRule & { live: boolean }>(
    `SELECT id, body->>'word' AS word, (body->>'repeats')::boolean AS repeats, state = 'live' AS live FROM parts
     WHERE desk_id = $1 AND kind = 'event-type' ORDER BY id`,
    [deskId],
  );
  return rows;
}
