/** What a setup sheet means: the parts that it names, what it would make, its trail, and what is known without asking. */
import { computed, watch, type ComputedRef } from 'vue';
import {
  campaignInput,
  offerInput,
  type CampaignInput,
  type OfferInput,
  type PartRecord,
  type SheetBody,
  type SheetField,
} from '@tracheon/core/contract';
import type { z } from 'zod';
import {
  campaignOfSheet,
  costModelOf,
  isSameOffer,
  networkOfHost,
  offerOfSheet,
  postbackUrl,
  readPasted,
  type PastedOffer,
} from '@tracheon/core/links';
import { countryOf, productWords, sheetNames } from '@tracheon/core/naming';
import { configuredTrail } from '@tracheon/core/trail';
import { useParts } from '../../app/parts.ts';
import { useSeen } from '../../app/seen.ts';
import { useSession } from '../../app/session.ts';
import { allCountries } from '../../ui/countries.ts';

/** Stands for the offer that is made with the campaign. */
const OFFER_TO_BE = '0'.repeat(26);
const codes = new Set(allCountries.map((c) => c.code));

export function useChain(body: SheetBody, isKept: (field: SheetField) => boolean) {
  const parts = useParts();
  const session = useSession();
  const chosenOffer = computed(() => parts.one('offer', body.offerId));
  const network = computed(() => parts.one('network', chosenOffer.value?.body.networkId ?? body.networkId));
  const source = computed(() => parts.one('source', body.sourceId));
  const page = computed(() => parts.one('landing-page', body.landingPageId));
  const read = (text: string) => readPasted(text, session.me?.trackingOrigins ?? []);
  const pasted = computed(() => read(body.link));

  tellFromLink(body, pasted, isKept);

  const names = computed(() =>
    sheetNames(body, {
      rules: session.desk.nameRules,
      network: network.value?.body,
      source: source.value?.body,
      offer: chosenOffer.value?.body,
      page: page.value?.body,
      taken: {
        offers: parts.of('offer').map((o) => o.body.name),
        campaigns: parts.of('campaign').map((c) => c.body.name),
        others: (['network', 'source', 'landing-page'] as const).flatMap((kind) =>
          parts.of(kind).map((p) => p.body.name),
        ),
      },
    }),
  );
  const offer = computed(
    () =>
      chosenOffer.value?.body ??
      offerOfSheet(body, network.value?.body, {
        offer: names.value.offer,
        currency: session.desk.currency,
      }),
  );
  const costModel = computed(() => costModelOf(body, source.value?.body));
  const campaign = computed(() =>
    campaignOfSheet(body, source.value?.body, {
      campaign: names.value.campaign,
      currency: session.desk.currency,
    }),
  );
  /** The offer that the pasted link already is. */
  const sameOffer = computed(() =>
    body.offerId === '' && pasted.value.problem === '' && body.link !== ''
      ? parts.of('offer').find((o) => isSameOffer(o.body.link, body.link, network.value?.body))
      : undefined,
  );
  // The offer is made with it.
  const checked = computed(() =>
    campaignOfSheet({ ...body, offerId: body.offerId || OFFER_TO_BE }, source.value?.body, {
      campaign: names.value.campaign,
      currency: session.desk.currency,
    }),
  );
  const problems = computed(() => problemsOf(offer.value, checked.value, chosenOffer.value === undefined));
  const { hops, ids, networkSeenAt } = useChainTrail(body, { source, network, offer, page, campaign });
  /** Parts that the draft names, and that were archived since. */
  const archived = computed(() =>
    [network.value, source.value, page.value, chosenOffer.value].filter((p) => p?.state === 'archived'),
  );
  const handover = computed(() =>
    network.value ? postbackUrl(session.me?.trackingOrigin ?? '', network.value.key, network.value.body) : '',
  );
  return {
    chosenOffer,
    network,
    source,
    page,
    read,
    pasted,
    sameOffer,
    names,
    offer,
    costModel,
    campaign,
    problems,
    hops,
    ids,
    archived,
    handover,
    networkSeenAt,
  };
}
export type Chain = ReturnType<typeof useChain>;

interface ChainParts {
  source: ComputedRef<PartRecord<'source'> | undefined>;
  network: ComputedRef<PartRecord<'network'> | undefined>;
  page: ComputedRef<PartRecord<'landing-page'> | undefined>;
  offer: ComputedRef<OfferInput>;
  campaign: ComputedRef<CampaignInput>;
}

/** The trail of what the sheet would make, and the records at its stations. */
function useChainTrail(body: SheetBody, { source, network, page, offer, campaign }: ChainParts) {
  const session = useSession();
  const seen = useSeen();
  const hops = computed(() =>
    configuredTrail(
      {
        source: source.value?.body,
        network: network.value?.body,
        offer: offer.value.link === '' ? undefined : offer.value,
        page: page.value?.body ?? null,
        campaign: campaign.value,
      },
      {
        origin: session.me?.trackingOrigin ?? '',
        ownOrigins: session.me?.trackingOrigins ?? [],
        deskCurrency: session.desk.currency,
        country: body.country,
      },
    ).map((h) =>
      h.key === 'network_to_us' && h.state === 'known' && !isHandedOver.value
        ? { ...h, state: 'waiting' as const, seen: 'not handed over yet' }
        : h,
    ),
  );
  /** Ticked by a member, or shown by the network's own postbacks. */
  const networkSeenAt = computed(() => seen.at(network.value?.id ?? ''));
  const isHandedOver = computed(() => body.handedOver || networkSeenAt.value !== '');
  const ids = computed(() => ({
    source: body.sourceId,
    network: network.value?.id ?? '',
    'landing-page': body.landingPageId,
    offer: body.offerId,
  }));
  return { hops, ids, networkSeenAt };
}

/**
 * What is known is not asked: a link that is typed or pasted here tells its network, and perhaps its country and product.
 * One that comes from the server tells nothing: what was cleared since would come back.
 */
function tellFromLink(
  body: SheetBody,
  pasted: ComputedRef<PastedOffer>,
  isKept: (field: SheetField) => boolean,
): void {
  const parts = useParts();
  let lastHost = '';
  const findNetwork = (): void => {
    const found = networkOfHost(pasted.value.host, parts.of('network'))?.id;
    // Another host is another network's link; on the same one a choice by hand stays.
    if (found !== undefined && (pasted.value.host !== lastHost || !parts.one('network', body.networkId)))
      body.networkId = found;
    lastHost = pasted.value.host;
  };
  watch(
    () => body.link,
    () => {
      if (isKept('link')) return void (lastHost = pasted.value.host);
      const { link, problem } = pasted.value;
      // Out of a pasted tag comes the address that it holds.
      if (problem === '' && link !== body.link && body.link.includes('<')) body.link = link;
      findNetwork();
      if (body.country === '') body.country = countryOf(body.link, codes);
      if (body.product === '') body.product = productWords(body.link);
    },
  );
  // Parts may be loaded, or a network made, after the link was pasted.
  watch(
    () => parts.all,
    () => body.link !== '' && findNetwork(),
  );
}

/** What is not right yet, by the sheet's fields: checked while typing by the schemas of what will be created. */
function problemsOf(offer: OfferInput, campaign: CampaignInput, isNew: boolean): Record<string, string> {
  const found: Record<string, string> = {};
  const add = (parsed: z.ZodSafeParseResult<unknown>, names: Record<string, string>): void => {
    for (const { path, message } of parsed.error?.issues ?? []) {
      const field = String(path[0]);
      found[names[field] ?? field] ??= message;
    }
  };
  if (isNew) add(offerInput.safeParse(offer), { name: 'offerName', countries: 'country' });
  add(campaignInput.safeParse(campaign), { name: 'campaignName', routing: 'pairings' });
  return found;
}
