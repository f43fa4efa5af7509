/** What travelled with one visit, hop by hop: as long as the visit is kept, whatever has become of the parts since. */
import type { Pool } from 'pg';
import {
  wholeBody,
  type CampaignInput,
  type LandingPageInput,
  type OfferInput,
  type PartKind,
  type PartRecord,
  type VisitTrail,
} from '@tracheon/core/contract';
import { compileLink, destination, outgoingLink, pageLink } from '@tracheon/core/links';
import { branchNames } from '../capture/visitNames.ts';
import { offersOf } from '@tracheon/core/routing';
import { tokenVisit, type PartNames, type StoredVisit } from '@tracheon/core/visits';
import type { Models } from '../db/models.ts';
import { asOfNetwork, loadVisit } from '../intake/loadVisits.ts';
import type { OwningVisit } from '../intake/owningVisit.ts';
import { findPart } from '../parts/partRecords.ts';
import { conversionsOf, postbacksInOf, postbacksOutOf } from './lists.ts';
import { oneVisit } from './visitLists.ts';

export async function visitTrail(
  models: Models,
  pool: Pool,
  deskId: string,
  clickId: string,
): Promise<VisitTrail | null> {
  const [visit, stored] = await Promise.all([
    oneVisit(pool, deskId, clickId),
    loadVisit(pool, deskId, clickId),
  ]);
  if (!visit || !stored) return null;
  const [postbacksIn, conversions, told] = await Promise.all([
    postbacksInOf(pool, deskId, clickId),
    conversionsOf(pool, deskId, clickId),
    postbacksOutOf(pool, deskId, clickId),
  ]);
  // The chain ends at the source; what a partner is told stands with the conversion.
  const postbacksOut = told.filter((p) => !p.isPartner);
  const [call] = postbacksIn;
  const shown = asTravelled(stored, call?.networkId ?? '', call ? Date.parse(call.receivedAt) : 0);
  const parts = await partsOf(models, pool, deskId, shown, call?.networkId ?? '');
  return { visit, parts, ...urlsOf(parts, shown), postbacksIn, conversions, postbacksOut };
}

/** Where buttons lead to several offers: the visit as one of the offer that was called about, else of the first one clicked. */
const asTravelled = (stored: OwningVisit, networkId: string, receivedMs: number): OwningVisit =>
  stored.clicked.length === 0
    ? stored
    : (asOfNetwork(stored, networkId, receivedMs) ?? { ...stored, ...stored.clicked[0] });

async function partsOf(models: Models, pool: Pool, deskId: string, v: StoredVisit, calling: string) {
  const now = (kind: PartKind, id: string) => findPart(models, deskId, kind, id);
  /** As it was when the visit came. */
  const then = async (kind: PartKind, id: string, version: number) => {
    if (id === '') return null;
    const part = await now(kind, id);
    const { rows } = await pool.query<{ body: unknown }>(
      'SELECT body FROM part_versions WHERE desk_id = $1 AND part_id = $2 AND version = $3',
      [deskId, id, version],
    );
    return rows[0] ? { ...part, version, body: wholeBody(kind, rows[0].body) } : part;
  };
  const campaign = await now('campaign', v.campaignId);
  /** Of a visit without an offer: whoever called for it, else that of the offer which it did not reach. */
  const networkId = async (): Promise<string> => {
    const [first = ''] = offersOf(campaign.body as CampaignInput);
    return v.networkId || calling || ((await now('offer', first)).body as OfferInput).networkId;
  };
  const [source, network, offer, page] = await Promise.all([
    now('source', v.sourceId),
    networkId().then((id) => now('network', id)),
    then('offer', v.offerId, v.offerVersion),
    then('landing-page', v.landingId, v.landingVersion),
  ]);
  return { campaign, source, network, offer, page };
}

/** The addresses anew: they are not stored, but all that they are made of is, except for the full agent. */
function urlsOf(
  { campaign, source, network, offer, page }: Awaited<ReturnType<typeof partsOf>>,
  stored: StoredVisit,
): { pageUrl: string; offerUrl: string } {
  if (!offer) return { pageUrl: '', offerUrl: '' };
  const named = (p: PartRecord) => ({ id: p.id, name: p.body.name });
  const names: PartNames = {
    source: named(source),
    network: named(network),
    offer: named(offer),
    landing: page && { part: named(page) },
    id: campaign.id,
    name: campaign.body.name,
    branchName: branchNames(campaign.body as CampaignInput),
  };
  const fill = (link: string): string => {
    try {
      return destination(compileLink(link, 'link'), names, tokenVisit(stored)) ?? '';
    } catch {
      return '';
    }
  };
  const netBody = wholeBody('network', network.body);
  return {
    pageUrl: page ? fill(pageLink((page.body as LandingPageInput).url)) : '',
    offerUrl: fill(outgoingLink((offer.body as OfferInput).link, netBody)),
  };
}
