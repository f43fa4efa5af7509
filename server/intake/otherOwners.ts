/**
 * Owners of conversions that are no visit of ours. A click ID that was carried over from an earlier tracker stands for the
 * visit that it was given to. A partner of a network that stores no click IDs stands for itself, with the offer and the
 * transaction: each of its transactions is an owner of its own, so that a partner with many conversions is folded as fast as
 * one with a single conversion.
 */
import type { OfferInput } from '@tracheon/core/contract';
import { unknownVisit } from '@tracheon/core/visits';
import type { Reads } from '../db/pools.ts';
import { partnersLock } from '../db/transaction.ts';
import type { OwningVisit, VisitName } from './owningVisit.ts';

const CARRIED = 'carried:';
const PARTNER = 'partner:';

export const carriedOwner = (foreignId: string): string => `${CARRIED}${foreignId}`;

interface PartnerName {
  offerId: string;
  partner: string;
  transaction: string;
}
export const partnerOwner = ({ offerId, partner, transaction }: PartnerName): string =>
  `${PARTNER}${[offerId, partner, transaction].map(encodeURIComponent).join(':')}`;

function partnerIn(owner: string): PartnerName {
  const [offerId = '', partner = '', transaction = ''] = owner
    .slice(PARTNER.length)
    .split(':')
    .map(decodeURIComponent);
  return { offerId, partner, transaction };
}

export const isOtherOwner = (owner: string): boolean =>
  owner.startsWith(CARRIED) || owner.startsWith(PARTNER);

/** Those of them that are there, in no order. */
export async function loadOtherOwners(client: Reads, wanted: readonly VisitName[]): Promise<OwningVisit[]> {
  const carried = wanted.filter((w) => w.clickId.startsWith(CARRIED));
  const partners = wanted.filter((w) => w.clickId.startsWith(PARTNER));
  const [visits, offers] = await Promise.all([
    carried.length === 0 ? [] : loadCarried(client, carried),
    partners.length === 0 ? [] : loadPartners(client, partners),
  ]);
  return [...visits, ...offers];
}

interface OfOffer {
  networkId: string | null;
  conversionsFrom: OfferInput['conversionsFrom'] | null;
}
interface CarriedRow extends OfOffer {
  desk_id: string;
  foreign_id: string;
  visit_at: Date;
  campaign_id: string;
  source_id: string;
  offer_id: string;
  offerVersion: number;
  source_click_id: string;
  country: string;
  subs: Record<string, string>;
}

/** The terms of the offer are those of the visit's time, as for a visit of ours; before the offer was there, its first ones. */
async function loadCarried(client: Reads, wanted: readonly VisitName[]): Promise<OwningVisit[]> {
  const { rows } = await client.query<CarriedRow>(
    `SELECT c.*, p.body->>'networkId' AS "networkId", p.body->'conversionsFrom' AS "conversionsFrom",
       COALESCE((SELECT max(w.version) FROM part_versions w
         WHERE w.desk_id = c.desk_id AND w.part_id = c.offer_id AND w.changed_at <= c.visit_at), 1) AS "offerVersion"
     FROM unnest($1::text[], $2::text[]) AS k (desk, id)
     CROSS JOIN LATERAL (SELECT * FROM carried_clicks WHERE desk_id = k.desk AND foreign_id = k.id OFFSET 0) c
     LEFT JOIN parts p ON p.desk_id = c.desk_id AND p.id = c.offer_id AND c.offer_id <> ''`,
    [wanted.map((w) => w.deskId), wanted.map((w) => w.clickId.slice(CARRIED.length))],
  );
  return rows.map((r) => ({
    ...standingFor(r.desk_id, carriedOwner(r.foreign_id), r),
    ownedBy: 'carried',
    shownClickId: r.foreign_id,
    atMs: r.visit_at.getTime(),
    campaignId: r.campaign_id,
    sourceId: r.source_id,
    offerId: r.offer_id,
    offerVersion: r.offerVersion,
    sourceClickId: r.source_click_id,
    country: r.country,
    subs: r.subs,
  }));
}

async function loadPartners(client: Reads, wanted: readonly VisitName[]): Promise<OwningVisit[]> {
  const { rows } = await client.query<OfOffer & { id: string; desk_id: string }>(
    `SELECT id, desk_id, body->>'networkId' AS "networkId", body->'conversionsFrom' AS "conversionsFrom"
     FROM parts WHERE kind = 'offer' AND desk_id = ANY ($1) AND id = ANY ($2)`,
    [wanted.map((w) => w.deskId), wanted.map((w) => partnerIn(w.clickId).offerId)],
  );
  const offers = new Map(rows.map((r) => [`${r.desk_id}|${r.id}`, r]));
  const recordOf = await partnerRecords(client, wanted);
  return wanted.flatMap(({ deskId, clickId }) => {
    const { offerId, partner } = partnerIn(clickId);
    const offer = offers.get(`${deskId}|${offerId}`);
    if (!offer) return [];
    return [
      {
        ...standingFor(deskId, clickId, offer),
        ownedBy: 'partner' as const,
        partnerId: partner,
        broughtBy: recordOf(deskId, partner),
        offerId,
      },
    ];
  });
}

/** The record of the partner who has this ID, or is known by it; empty: the desk has none. */
async function partnerRecords(
  client: Reads,
  wanted: readonly VisitName[],
): Promise<(deskId: string, told: string) => string> {
  // A partner that is being saved is waited for: it then finds this conversion, or this conversion finds it.
  await client.query(
    'SELECT pg_advisory_xact_lock_shared(hashtextextended(l, 0)) FROM unnest($1::text[]) AS l',
    [[...new Set(wanted.map((w) => partnersLock(w.deskId)))].sort()],
  );
  const { rows } = await client.query<{ desk_id: string; told: string; id: string }>(
    `SELECT w.desk_id, w.told, p.id FROM unnest($1::text[], $2::text[]) AS w (desk_id, told)
     JOIN parts p ON p.desk_id = w.desk_id AND p.kind = 'partner'
       AND (p.id = w.told OR p.body->'knownAs' @> to_jsonb(w.told))`,
    [wanted.map((w) => w.deskId), wanted.map((w) => partnerIn(w.clickId).partner)],
  );
  const found = new Map(rows.map((r) => [JSON.stringify([r.desk_id, r.told]), r.id]));
  return (deskId, told) => found.get(JSON.stringify([deskId, told])) ?? '';
}

const standingFor = (deskId: string, id: string, { networkId, conversionsFrom }: OfOffer): OwningVisit => ({
  ...unknownVisit,
  deskId,
  id,
  ownedBy: 'carried',
  shownClickId: '',
  partnerId: '',
  networkId: networkId ?? '',
  conversionsFrom,
  isReportedTest: false,
  clicked: [],
});

/**
 * A partner's conversion has no visit whose day it could have: it has that of its first receipt, or of the conversion where
 * that was told. The offer's terms are those of that moment. `times` are of all its receipts, in ms since 1970.
 */
export async function datedPartners<V extends OwningVisit>(
  client: Reads,
  owners: readonly { visit: V; times: readonly number[] }[],
): Promise<V[]> {
  const dated = owners.map(({ visit, times }) =>
    visit.ownedBy === 'partner' && times.length > 0 ? { ...visit, atMs: Math.min(...times) } : visit,
  );
  const partners = dated.filter((v) => v.ownedBy === 'partner');
  if (partners.length === 0) return dated;
  const { rows } = await client.query<{ version: number }>(
    `SELECT COALESCE((SELECT max(w.version) FROM part_versions w
       WHERE w.desk_id = k.desk AND w.part_id = k.offer AND w.changed_at <= k.at), 1) AS version
     FROM unnest($1::text[], $2::text[], $3::timestamptz[]) WITH ORDINALITY AS k (desk, offer, at, nth) ORDER BY k.nth`,
    [
      partners.map((v) => v.deskId),
      partners.map((v) => v.offerId),
      partners.map((v) => new Date(v.atMs).toISOString()),
    ],
  );
  const versions = new Map(partners.map((v, i) => [v, rows[i]!.version]));
  return dated.map((v) => ({ ...v, offerVersion: versions.get(v) ?? v.offerVersion }));
}
