/**
 * The configuration that visits are answered from: compiled once, frozen, replaced as a whole. A campaign that does
 * not compile keeps its last good version and is listed in `broken`.
 */
import type {
  CampaignInput,
  LandingPageInput,
  NetworkInput,
  OfferInput,
  SourceInput,
} from '@tracheon/core/contract';
import { outgoingLink, pageLink } from '@tracheon/core/links';
import { branchesOf } from '@tracheon/core/routing';
import { compileTemplate, type CompiledTemplate } from '@tracheon/core/tokens';
import { parseRanges, type Ranges } from './addresses.ts';
import { offerDays } from './sendable.ts';

export interface RawPart<B> {
  id: string;
  deskId: string;
  name: string;
  key: string;
  state: 'live' | 'paused' | 'archived';
  version: number;
  body: B;
}
export interface RawConfiguration {
  version: number;
  desks: { id: string; zone: string; currency: string; fallbackUrl: string }[];
  networks: RawPart<NetworkInput>[];
  sources: RawPart<SourceInput>[];
  landingPages: RawPart<LandingPageInput>[];
  offers: RawPart<OfferInput>[];
  campaigns: RawPart<CampaignInput>[];
  domains: {
    deskId: string;
    host: string;
    fallbackUrl: string;
    paths: { path: string; campaignId: string }[];
  }[];
  /** Keys of networks that were rotated, as long as calls with them are taken. */
  oldKeys: { key: string; partId: string; untilMs: number }[];
}

/** Where somebody is sent: a template, and what the address must still begin with once it is expanded. */
export interface CompiledLink {
  template: CompiledTemplate;
  /** Scheme, host and port, as they stand in the template. */
  start: string;
}
export interface CompiledOffer {
  part: RawPart<OfferInput>;
  network: RawPart<NetworkInput>;
  link: CompiledLink;
  /** Where visitors go while neither it nor its fallback offers can take them; null: nowhere. */
  fallback: CompiledLink | null;
  /** Its days, in ms since 1970. */
  fromMs: number;
  untilMs: number;
}
export interface CompiledLanding {
  part: RawPart<LandingPageInput>;
  link: CompiledLink;
  /** null when none is set. */
  fallback: CompiledLink | null;
}
export interface CompiledPairing {
  id: string;
  /** null for a direct link. */
  landing: CompiledLanding | null;
  /** By button; at least one. */
  offers: readonly CompiledOffer[];
}
export interface CompiledBranch {
  id: string;
  name: string;
  pairings: readonly CompiledPairing[];
}
export interface CompiledCampaign {
  id: string;
  key: string;
  deskId: string;
  version: number;
  name: string;
  sending: boolean;
  source: RawPart<SourceInput>;
  branches: readonly CompiledBranch[];
  /** Where visitors go while no offer takes them, or the campaign is paused; null: none of its own. */
  fallback: CompiledLink | null;
  /** The account of the source in which it runs; empty: the source's own. */
  account: string;
  adFormat: string;
  /** What a visit costs for each one of the model or the link: clicks billed for one that arrives, and the fee on top; ×10⁶. */
  costFactor: bigint;
  costModel: CampaignInput['costModel'];
  costMicros: bigint | null;
  costCurrency: string;
}
export interface IntakeEndpoint {
  deskId: string;
  network: RawPart<NetworkInput>;
  /** Addresses that may call; empty: all may. */
  allowed: Ranges;
  /** The moment from which this key is not taken any more, in ms since 1970. */
  untilMs: number;
}
export interface CompiledDomain {
  /** Where unknown keys lead; empty: to a plain sentence. */
  fallbackUrl: string;
  /** Keys of campaigns by path. */
  paths: ReadonlyMap<string, string>;
}
export interface Snapshot {
  version: number;
  campaigns: ReadonlyMap<string, CompiledCampaign>;
  intakes: ReadonlyMap<string, IntakeEndpoint>;
  campaignsById: ReadonlyMap<string, CompiledCampaign>;
  /** All offers, those of clicks on pages whose campaign has another one by now included. */
  offers: ReadonlyMap<string, CompiledOffer>;
  /** Landing pages by key: buttons know nothing else. */
  landings: ReadonlyMap<string, CompiledLanding>;
  /** Where a desk's visitors go when nothing else takes them, by desk. */
  deskFallbacks: ReadonlyMap<string, CompiledLink>;
  /** Tracking domains by host. */
  domains: ReadonlyMap<string, CompiledDomain>;
  broken: readonly { campaignId: string; deskId: string; why: string }[];
}

export const emptySnapshot: Snapshot = {
  version: 0,
  campaigns: new Map(),
  campaignsById: new Map(),
  intakes: new Map(),
  offers: new Map(),
  landings: new Map(),
  deskFallbacks: new Map(),
  domains: new Map(),
  broken: [],
};

/** Parts as campaigns are compiled from them; each offer and page is compiled once, when the first campaign asks for it. */
interface Sources {
  sources: Map<string, RawPart<SourceInput>>;
  offer: (id: string) => CompiledOffer;
  landing: (id: string) => CompiledLanding;
}

export function compileSnapshot(raw: RawConfiguration, last: Snapshot): Snapshot {
  const index = <B>(parts: RawPart<B>[]): Map<string, RawPart<B>> => new Map(parts.map((p) => [p.id, p]));
  const [offers, networks, pages] = [index(raw.offers), index(raw.networks), index(raw.landingPages)];
  const zones = new Map(raw.desks.map((d) => [d.id, d.zone]));
  const from: Sources = {
    sources: index(raw.sources),
    offer: remembered((id) => compileOffer(offers.get(id), networks, zones)),
    landing: remembered((id) => compileLanding(pages.get(id))),
  };
  const campaigns = new Map<string, CompiledCampaign>();
  const broken: { campaignId: string; deskId: string; why: string }[] = [];
  for (const part of raw.campaigns) {
    try {
      campaigns.set(part.key, compileCampaign(part, from));
    } catch (error) {
      broken.push({ campaignId: part.id, deskId: part.deskId, why: (error as Error).message });
      const good = last.campaigns.get(part.key);
      if (good) campaigns.set(part.key, good);
    }
  }
  // Campaigns that use a broken one are among the broken; what leads to it otherwise goes on as it was.
  const landings = compiledOnes(raw.landingPages, (p) => p.key, from.landing, last.landings);
  const compiledOffers = compiledOnes(raw.offers, (o) => o.id, from.offer, last.offers);
  const intakes = new Map<string, IntakeEndpoint>();
  for (const network of raw.networks) {
    const allowed = parseRanges(network.body.allowedAddresses ?? []);
    const endpoint = { deskId: network.deskId, network, allowed };
    intakes.set(network.key, { ...endpoint, untilMs: Infinity });
    for (const { key, partId, untilMs } of raw.oldKeys)
      if (partId === network.id) intakes.set(key, { ...endpoint, untilMs });
  }
  const campaignsById = new Map([...campaigns.values()].map((c) => [c.id, c]));
  return Object.freeze({
    version: raw.version,
    campaigns,
    campaignsById,
    intakes,
    offers: compiledOffers,
    landings,
    deskFallbacks: deskFallbacks(raw.desks, last.deskFallbacks),
    domains: compileDomains(raw.domains, campaignsById),
    broken,
  });
}

function deskFallbacks(
  desks: RawConfiguration['desks'],
  last: Snapshot['deskFallbacks'],
): Map<string, CompiledLink> {
  const found = new Map<string, CompiledLink>();
  for (const { id, fallbackUrl } of desks) {
    // Configurations that older versions kept on disk have none.
    if (!fallbackUrl) continue;
    try {
      found.set(id, compileLink(fallbackUrl, 'fallback of the desk'));
    } catch {
      const good = last.get(id);
      if (good) found.set(id, good);
    }
  }
  return found;
}

function compileDomains(
  domains: RawConfiguration['domains'],
  campaigns: ReadonlyMap<string, CompiledCampaign>,
): Map<string, CompiledDomain> {
  return new Map(
    domains.map(({ deskId, host, fallbackUrl, paths }) => {
      const keys = new Map<string, string>();
      for (const { path, campaignId } of paths) {
        const campaign = campaigns.get(campaignId);
        if (campaign?.deskId === deskId) keys.set(path, campaign.key);
      }
      return [host, { fallbackUrl, paths: keys }];
    }),
  );
}

function compiledOnes<T>(
  parts: RawPart<unknown>[],
  keyOf: (part: RawPart<unknown>) => string,
  compile: (id: string) => T,
  last: ReadonlyMap<string, T>,
): Map<string, T> {
  const found = new Map<string, T>();
  for (const part of parts) {
    const key = keyOf(part);
    try {
      found.set(key, compile(part.id));
    } catch {
      const good = last.get(key);
      if (good) found.set(key, good);
    }
  }
  return found;
}

function remembered<T>(make: (id: string) => T): (id: string) => T {
  const made = new Map<string, T>();
  return (id) => {
    let found = made.get(id);
    if (found === undefined) made.set(id, (found = make(id)));
    return found;
  };
}

const MISSING = 'A part that this campaign is made of is missing.';

/** `what` names the link in the sentence of the error. */
export function compileLink(link: string, what: string): CompiledLink {
  // Letters of host names and addresses only: nothing that a browser would read as another host.
  const start = /^https?:\/\/[a-z0-9.:[\]_-]+(?=[/?#]|$)/i.exec(link)?.[0];
  if (start === undefined || !URL.canParse(start))
    throw new Error(`The ${what} does not begin with a literal host.`);
  return { template: compileTemplate(link), start };
}

function compileOffer(
  part: RawPart<OfferInput> | undefined,
  networks: Map<string, RawPart<NetworkInput>>,
  zones: Map<string, string>,
): CompiledOffer {
  const network = part && networks.get(part.body.networkId);
  if (!part || !network) throw new Error(MISSING);
  const link = compileLink(outgoingLink(part.body.link, network.body), 'offer link');
  const { fallbackUrl } = part.body;
  return Object.freeze({
    part,
    network,
    link,
    fallback: fallbackUrl === '' ? null : compileLink(fallbackUrl, 'address to fall back on'),
    ...offerDays(part.body, zones.get(part.deskId) ?? 'UTC'),
  });
}

/** The page's own address takes the click ID, so that its script can hand it on to the buttons. */
function compileLanding(part: RawPart<LandingPageInput> | undefined): CompiledLanding {
  if (!part) throw new Error(MISSING);
  const { url, fallbackUrl } = part.body;
  return Object.freeze({
    part,
    link: compileLink(pageLink(url), 'address of the landing page'),
    fallback: fallbackUrl === '' ? null : compileLink(fallbackUrl, 'address to fall back on'),
  });
}

/** Billed ÷ arrived × (1 + fee), ×10⁶, rounded half up. */
function costFactor({ billedPerArrived, feePercent }: SourceInput): bigint {
  const product = BigInt(billedPerArrived) * (100_000_000n + BigInt(feePercent));
  return (product + 50_000_000n) / 100_000_000n;
}

function compileCampaign(part: RawPart<CampaignInput>, from: Sources): CompiledCampaign {
  const { body } = part;
  const source = from.sources.get(body.sourceId);
  if (!source) throw new Error(MISSING);
  const branches = branchesOf(body).map(({ id, name, pairings }) => ({
    id,
    name,
    pairings: pairings.map((p) => ({
      id: p.id,
      landing: p.landingPageId === '' ? null : from.landing(p.landingPageId),
      offers: p.offerIds.map(from.offer),
    })),
  }));
  return Object.freeze({
    id: part.id,
    key: part.key,
    deskId: part.deskId,
    version: part.version,
    name: part.name,
    sending: part.state === 'live',
    source,
    branches,
    fallback: body.fallbackUrl ? compileLink(body.fallbackUrl, 'fallback of the campaign') : null,
    account: body.account ?? '',
    adFormat: body.adFormat ?? '',
    costFactor: costFactor(source.body),
    costModel: body.costModel,
    costMicros: body.costMicros === '' ? null : BigInt(body.costMicros),
    costCurrency: body.costModel === 'link' ? source.body.costCurrency : body.costCurrency,
  });
}
