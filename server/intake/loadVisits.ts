/** The visits that conversions belong to, and what stands for them where there is none of ours. */
import { convertingOffer } from '@tracheon/core/conversions';
import { clickIdDay } from '@tracheon/core/identity';
import { blankVisit, readVisitInto } from '@tracheon/core/visits';
import type { Reads } from '../db/pools.ts';
import { isOtherOwner, loadOtherOwners } from './otherOwners.ts';
import { distinct } from './outcomes.ts';
import type { OfferOfClick, OwningVisit, VisitName } from './owningVisit.ts';

/** The offer's version is the one under which the visit came. */
const CLICKED = `SELECT jsonb_agg(jsonb_build_object('offerId', c.offer_id, 'networkId', o.body->>'networkId',
    'conversionsFrom', o.body->'conversionsFrom', 'atMs', (extract(epoch FROM c.at) * 1000)::bigint,
    'offerVersion', COALESCE((SELECT max(w.version) FROM part_versions w
      WHERE w.desk_id = v.desk_id AND w.part_id = o.id AND w.changed_at <= v.at), 1)) ORDER BY c.id)
  FROM (SELECT DISTINCT ON (b.n) b.n, b.id, b.at, b.offer_id FROM button_clicks b
    WHERE b.desk_id = v.desk_id AND b.day = v.day AND b.day = ANY ($4::date[]) AND b.visit_id = v.id AND b.offer_id <> '' ORDER BY b.n, b.id) c
  JOIN parts o ON o.desk_id = v.desk_id AND o.id = c.offer_id`;

export const loadVisit = async (
  client: Reads,
  deskId: string,
  clickId: string,
): Promise<OwningVisit | undefined> => (await loadVisits(client, [{ deskId, clickId }]))[0];

/** Those of them that are there, in no order. */
export async function loadVisits(client: Reads, wanted: readonly VisitName[]): Promise<OwningVisit[]> {
  const once = [...new Map(wanted.map((w) => [visitKey(w), w])).values()];
  const others = once.filter((w) => isOtherOwner(w.clickId));
  const ours = others.length === 0 ? once : once.filter((w) => !isOtherOwner(w.clickId));
  const [visits, more] = await Promise.all([loadOurVisits(client, ours), loadOtherOwners(client, others)]);
  return [...visits, ...more];
}

/** To be copied and filled. */
const ownVisit = {
  ...blankVisit,
  ownedBy: 'visit',
  shownClickId: '',
  partnerId: '',
  conversionsFrom: undefined,
  isReportedTest: false,
  clicked: [],
} as unknown as OwningVisit;

async function loadOurVisits(client: Reads, once: readonly VisitName[]): Promise<OwningVisit[]> {
  if (once.length === 0) return [];
  const { rows } = await client.query<Record<string, unknown> & Pick<OwningVisit, 'conversionsFrom'>>(
    `SELECT v.*, p.body->'conversionsFrom' AS "conversionsFrom" FROM ${VISITS} v
     LEFT JOIN parts p ON p.desk_id = v.desk_id AND p.id = v.offer_id`,
    namesOf(once),
  );
  const visits = rows.map((row): OwningVisit => {
    const visit = readVisitInto({ ...ownVisit }, row);
    visit.shownClickId = visit.id;
    visit.conversionsFrom = row.conversionsFrom;
    visit.clicked = [];
    return visit;
  });
  const more = visits.filter((v) => v.isTest || v.landingId !== '');
  return more.length === 0 ? visits : withMore(client, visits, more);
}

/** Only the tables of the days in $4 are looked at. */
const VISITS = `unnest($1::text[], $2::date[], $3::text[]) AS k (desk, of_day, of_id) CROSS JOIN LATERAL (
  SELECT * FROM visits WHERE desk_id = k.desk AND day = k.of_day AND day = ANY ($4::date[]) AND id = k.of_id OFFSET 0)`;
const namesOf = (wanted: readonly VisitName[]): [string[], string[], string[], string[]] => {
  const days = wanted.map((w) => clickIdDay(w.clickId));
  return [wanted.map((w) => w.deskId), days, wanted.map((w) => w.clickId), distinct(days)];
};

/** What visits on pages and tests have besides; asked for apart, since most visits have none of it, and planning it takes long. */
async function withMore(
  client: Reads,
  visits: readonly OwningVisit[],
  wanted: readonly OwningVisit[],
): Promise<OwningVisit[]> {
  const { rows } = await client.query<{
    desk_id: string;
    id: string;
    isReportedTest: boolean;
    clicked: OfferOfClick[] | null;
  }>(
    `SELECT v.desk_id, v.id, v.is_test AND EXISTS (SELECT 1 FROM reported_tests t
         WHERE t.desk_id = v.desk_id AND t.click_id = v.id) AS "isReportedTest",
       CASE WHEN v.landing_id <> '' THEN (${CLICKED}) END AS clicked
     FROM ${VISITS} v`,
    namesOf(wanted.map((v) => ({ deskId: v.deskId, clickId: v.id }))),
  );
  const found = new Map(rows.map((r) => [`${r.desk_id}|${r.id}`, r]));
  return visits.map((visit) => {
    const of = found.get(`${visit.deskId}|${visit.id}`);
    if (!of) return visit;
    const clicked = of.clicked ?? [];
    const isOwn = clicked.every((c) => c.offerId === visit.offerId);
    return { ...visit, isReportedTest: of.isReportedTest, clicked: isOwn ? [] : clicked };
  });
}

export const visitKey = ({ deskId, clickId }: VisitName): string => `${deskId}|${clickId}`;

/** The visit as one of the offer that this network's call at this moment is about; null where it has none of this network. */
export function asOfNetwork(visit: OwningVisit, networkId: string, toldMs: number): OwningVisit | null {
  const offer = convertingOffer(visit, visit.clicked, networkId, toldMs);
  if (offer === null) return null;
  const { offerId, offerVersion, conversionsFrom } = offer;
  const isItsOwn =
    offerId === visit.offerId && offerVersion === visit.offerVersion && networkId === visit.networkId;
  if (isItsOwn && conversionsFrom === visit.conversionsFrom) return visit;
  return { ...visit, offerId, offerVersion, conversionsFrom, networkId };
}
