/** What travelled with one visit, hop by hop: as long as the visit is kept, whatever has become of the parts since. */
import type { Pool } from 'pg';
import {
  wholeBody,
  type LandingPageInput,
  type OfferInput,
  type PartKind,
  type PartRecord,
  type VisitTrail,
} from '@tracheon/core/contract';
import { outgoingLink, pageLink } from '@tracheon/core/links';
import { destination, type PartNames } from '../capture/buildVisit.ts';
import { compileLink } from '../capture/snapshot.ts';
import type { Models } from '../db/models.ts';
import { loadVisit, type StoredVisit } from '../intake/ownerContext.ts';
import { tokenVisit } from '../intake/postbackText.ts';
import { findPart } from '../parts/partsStore.ts';
import { postbacksInOf, postbacksOutOf, conversionsOf, oneVisit } from './lists.ts';

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
  const parts = await partsOf(models, pool, deskId, stored);
  const [postbacksIn, conversions, postbacksOut] = await Promise.all([
    postbacksInOf(pool, deskId, clickId),
    conversionsOf(pool, deskId, clickId),
    postbacksOutOf(pool, deskId, clickId),
  ]);
  return { visit, parts, ...urlsOf(parts, stored), postbacksIn, conversions, postbacksOut };
}

async function partsOf(models: Models, pool: Pool, deskId: string, v: StoredVisit) {
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
  const [campaign, source, network, offer, page] = await Promise.all([
    now('campaign', v.campaign_id),
    now('source', v.source_id),
    now('network', v.network_id),
    then('offer', v.offer_id, v.offer_version),
    then('landing-page', v.landing_id, v.landing_version),
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
