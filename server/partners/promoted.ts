/** Own offers as a partner sees them: what it may promote or ask for, what it gets, and its links. */
import type { Pool } from 'pg';
import { PARTNER_PARAMETER, type EventTypeInput, type PartRecord } from '@tracheon/core/contract';
import type { PromotedLink, PromotedOffer } from '@tracheon/core/contract/partnerPage';
import { promotedCaps, promotedPays, promotedState } from '@tracheon/core/conversions';
import { adLink, partnerLink } from '@tracheon/core/links';
import { offersOf } from '@tracheon/core/routing';
import { localDay } from '@tracheon/core/time';
import type { Models } from '../db/models.ts';
import { listDomains } from '../domains/domainStore.ts';
import { listParts } from '../parts/partRecords.ts';
import { Problem } from '../problems/problem.ts';
import { acceptedAt, accessesByOffer, noAccess, type StoredAccess } from './access.ts';

interface Asks {
  deskId: string;
  partnerId: string;
  zone: string;
  nowMs: number;
}

export async function promotedOffers(models: Models, pool: Pool, asks: Asks): Promise<PromotedOffer[]> {
  const [offers, eventTypes, accesses] = await Promise.all([
    listParts(models, asks.deskId, 'offer') as Promise<PartRecord<'offer'>[]>,
    listParts(models, asks.deskId, 'event-type') as Promise<PartRecord<'event-type'>[]>,
    accessesByOffer(pool, asks.deskId, asks.partnerId),
  ]);
  const nameOf = (id: string): string =>
    (eventTypes.find((e) => e.id === id)?.body as EventTypeInput | undefined)?.name ?? 'event';
  return offers
    .flatMap((offer) => asSeen(offer, accesses.get(offer.id) ?? noAccess, asks, nameOf))
    .sort((a, b) => a.name.localeCompare(b.name));
}

export async function promotedOffer(
  models: Models,
  pool: Pool,
  asks: Asks,
  id: string,
): Promise<PromotedOffer> {
  const found = (await promotedOffers(models, pool, asks)).find((o) => o.id === id);
  if (!found) throw new Problem('not_found');
  return found;
}

/** Empty: it is none of this partner's business. What was ever decided for the partner stays in sight. */
function asSeen(
  { id, state: kept, body }: PartRecord<'offer'>,
  access: StoredAccess,
  { partnerId, zone, nowMs }: Asks,
  nameOf: (id: string) => string,
): PromotedOffer[] {
  const state = promotedState(body, localDay(nowMs, body.zone || zone));
  const isInvited = body.partnerAccess !== 'invitation' || access.state !== 'none';
  if (kept !== 'live' || state === null || body.partnerAccess === 'hidden' || !isInvited) return [];
  // What has ended is of interest to those only who promoted it.
  if (state === 'ended' && access.state !== 'approved' && body.partnerAccess !== 'open') return [];
  const accepted = acceptedAt(body.partnerTerms, access);
  return [
    {
      id,
      name: body.name,
      category: body.category,
      description: body.description,
      previewUrl: body.previewUrl,
      countries: body.countries,
      state,
      startsOn: body.startsOn,
      endsOn: body.endsOn,
      pays: promotedPays(body, { partnerId, nameOf }),
      caps: promotedCaps(body, partnerId),
      access: isOpen(body.partnerAccess, access) ? 'open' : access.state,
      reason: access.reason,
      terms: body.partnerTerms,
      termsAcceptedAt: accepted && accepted.toISOString(),
    },
  ];
}

/** A partner that was refused, or whose access was ended, is not let in by the door for all. */
const isOpen = (access: string, { state }: StoredAccess): boolean =>
  access === 'open' && state !== 'refused' && state !== 'ended';

/** None while the partner may not promote it, or has not accepted its terms. */
export async function linksOf(
  models: Models,
  pool: Pool,
  asks: Asks,
  offerId: string,
  listening: string,
): Promise<PromotedLink[]> {
  const offer = await promotedOffer(models, pool, asks, offerId);
  const mayPromote = offer.access === 'open' || offer.access === 'approved';
  if (!mayPromote || (offer.terms !== '' && offer.termsAcceptedAt === null)) return [];
  const parts = await listParts(models, asks.deskId);
  const domains = await listDomains(models, asks.deskId, listening);
  const { origin } = domains.find((d) => d.isDefault)!;
  const live = parts.filter((p) => p.state === 'live');
  const sourceOf = (id: string) =>
    live.find((p) => p.kind === 'source' && p.id === id) as PartRecord<'source'> | undefined;
  return (live.filter((p) => p.kind === 'campaign') as PartRecord<'campaign'>[]).flatMap((campaign) => {
    const source = sourceOf(campaign.body.sourceId);
    if (!offersOf(campaign.body).includes(offerId) || !source) return [];
    const { parameters } = source.body;
    // The source means something else by it: a visit would count for no partner.
    if (parameters.some((p) => p.parameter === PARTNER_PARAMETER)) return [];
    const plain = adLink(
      origin,
      campaign,
      { ...source.body, parameters: [] },
      (id) =>
        live.find((p) => p.id === id && p.kind === 'landing-page') as PartRecord<'landing-page'> | undefined,
    );
    return [
      {
        campaignId: campaign.id,
        link: partnerLink(plain, asks.partnerId),
        parameters: parameters.flatMap((p) => {
          if (p.role === 'sub') return [{ parameter: p.parameter, name: p.sub }];
          return p.role === 'click_id' ? [{ parameter: p.parameter, name: 'your click ID' }] : [];
        }),
      },
    ];
  });
}

/** Named sub-IDs that links of partners can have. */
export async function subsOfPartners(models: Models, deskId: string): Promise<string[]> {
  const [offers, campaigns, sources] = await Promise.all([
    listParts(models, deskId, 'offer') as Promise<PartRecord<'offer'>[]>,
    listParts(models, deskId, 'campaign') as Promise<PartRecord<'campaign'>[]>,
    listParts(models, deskId, 'source') as Promise<PartRecord<'source'>[]>,
  ]);
  const own = new Set(offers.filter((o) => o.body.partnerAccess !== 'hidden').map((o) => o.id));
  const used = new Set(
    campaigns.filter((c) => offersOf(c.body).some((id) => own.has(id))).map((c) => c.body.sourceId),
  );
  const subs = sources
    .filter((s) => used.has(s.id))
    .flatMap((s) => s.body.parameters.flatMap((p) => (p.role === 'sub' ? [p.sub] : [])));
  return [...new Set(subs)].sort();
}
