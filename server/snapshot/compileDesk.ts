/**
 * One desk, compiled. What has not changed since the last time is taken over as it is: a record is compiled again only when
 * it, or something that it is made of, is another one. A campaign that does not compile keeps its last good version and is
 * listed in `broken`.
 */
import type {
  CampaignInput,
  LandingPageInput,
  NetworkInput,
  OfferInput,
  PartBodies,
  PartKind,
  PartnerInput,
  SourceInput,
} from '@tracheon/core/contract';
import { compileLink, outgoingLink, pageLink, type CompiledLink } from '@tracheon/core/links';
import { compileWay } from '@tracheon/core/deciding';
import { branchesOf, offerDays, type RoutedWay } from '@tracheon/core/routing';
import { parseRanges } from '../addresses/addresses.ts';
import type {
  Broken,
  CompiledBotList,
  CompiledBranch,
  CompiledCampaign,
  CompiledDomain,
  CompiledLanding,
  CompiledOffer,
  CompiledPartner,
  DeskConfiguration,
  IntakeEndpoint,
  Lookups,
  RawPart,
} from './compiled.ts';
import { compileBotList } from './compileBotList.ts';

export interface CompiledDesk extends Lookups {
  deskId: string;
  version: number;
  broken: readonly Broken[];
  /** By record: what it was compiled from, and the result. */
  made: ReadonlyMap<string, Made>;
}
interface Made {
  from: readonly unknown[];
  result: unknown;
}

/** Compiles what is new, and remembers what everything was made from. */
class Workshop {
  readonly made = new Map<string, Made>();
  constructor(private readonly last: ReadonlyMap<string, Made>) {}

  /** `make` runs only when one of `from` is another than the last time. Nothing is remembered of what throws. */
  once<T>(id: string, from: readonly unknown[], make: () => T): T {
    const now = this.made.get(id);
    if (now) return now.result as T;
    const before = this.last.get(id);
    const isSame = before?.from.length === from.length && before.from.every((one, i) => one === from[i]);
    const result = isSame ? (before.result as T) : make();
    this.made.set(id, { from, result });
    return result;
  }
}

/** `last` is the same desk as it was compiled before; null the first time. */
export function compileDesk(raw: DeskConfiguration, last: CompiledDesk | null): CompiledDesk {
  const workshop = new Workshop(last?.made ?? new Map<string, Made>());
  const of = <K extends PartKind>(kind: K) =>
    raw.parts.filter((p) => p.kind === kind) as RawPart<PartBodies[K]>[];
  const byId = new Map(raw.parts.map((p) => [p.id, p]));
  const find = <K extends PartKind>(kind: K, id: string): RawPart<PartBodies[K]> => {
    const part = byId.get(id);
    if (part?.kind !== kind) throw new Error(MISSING);
    return part as RawPart<PartBodies[K]>;
  };
  const offer = (id: string): CompiledOffer => {
    const part = find('offer', id);
    const network = find('network', part.body.networkId);
    return workshop.once(id, [part, network, raw.zone], () => compileOffer(part, network, raw.zone));
  };
  const landing = (id: string): CompiledLanding => {
    const part = find('landing-page', id);
    return workshop.once(id, [part], () => compileLanding(part));
  };
  const broken: Broken[] = [];
  const campaigns = new Map<string, CompiledCampaign>();
  for (const part of of('campaign')) {
    // An archived campaign answers like one that never was.
    if (part.state === 'archived') continue;
    try {
      const source = find('source', part.body.sourceId);
      const branches = branchesOf(part.body);
      const pairings = branches.flatMap((b) => b.pairings);
      const pages = pairings.map((p) => (p.landingPageId === '' ? null : landing(p.landingPageId)));
      const offers = pairings.flatMap((p) => p.offerIds.map(offer));
      const made = workshop.once(part.id, [part, source, raw.zone, ...pages, ...offers], () =>
        compileCampaign(part, source, { offer, landing, zone: raw.zone }),
      );
      campaigns.set(part.key, made);
    } catch (error) {
      broken.push({ campaignId: part.id, deskId: raw.deskId, why: (error as Error).message });
      const good = last?.campaigns.get(part.key);
      if (good) campaigns.set(part.key, good);
    }
  }
  const campaignsById = new Map([...campaigns.values()].map((c) => [c.id, c]));
  // Campaigns that use a broken one are among the broken; what leads to it otherwise goes on as it was.
  return Object.freeze({
    deskId: raw.deskId,
    version: raw.version,
    campaigns,
    campaignsById,
    intakes: compileIntakes(of('network'), raw.oldKeys, workshop),
    offers: compiledOnes(of('offer'), (o) => o.id, offer, last?.offers),
    partners: new Map(of('partner').map((p) => [p.id, compilePartner(p)])),
    landings: compiledOnes(of('landing-page'), (p) => p.key, landing, last?.landings),
    deskFallbacks: deskFallback(raw, last),
    botLists: botLists(raw, workshop, last),
    domains: compileDomains(raw.domains, campaignsById),
    broken,
    made: workshop.made,
  });
}

const compilePartner = ({ deskId, body }: RawPart<PartnerInput>): CompiledPartner => ({
  deskId,
  blocked: new Map(body.blockedSubs.map((b) => [b.sub, new Set(b.values)])),
});

function compileIntakes(
  networks: readonly RawPart<NetworkInput>[],
  oldKeys: DeskConfiguration['oldKeys'],
  workshop: Workshop,
): Map<string, IntakeEndpoint> {
  const intakes = new Map<string, IntakeEndpoint>();
  for (const network of networks) {
    const { id, deskId, key, body } = network;
    const endpoint = workshop.once(id, [network], () => ({
      deskId,
      network,
      allowed: parseRanges(body.allowedAddresses ?? []),
    }));
    intakes.set(key, { ...endpoint, untilMs: Infinity });
    for (const old of oldKeys)
      if (old.partId === id) intakes.set(old.key, { ...endpoint, untilMs: old.untilMs });
  }
  return intakes;
}

function deskFallback(
  { deskId, fallbackUrl }: DeskConfiguration,
  last: CompiledDesk | null,
): Map<string, CompiledLink> {
  if (!fallbackUrl) return new Map();
  try {
    return new Map([[deskId, compileLink(fallbackUrl, 'fallback of the desk')]]);
  } catch {
    return new Map(last?.deskFallbacks);
  }
}

/** What the database holds was checked when it was saved; a list past that leaves the last good one. */
function botLists(
  { deskId, botList }: DeskConfiguration,
  workshop: Workshop,
  last: CompiledDesk | null,
): Map<string, CompiledBotList> {
  if (!botList || botList.agents.length + botList.addresses.length === 0) return new Map();
  try {
    const from = [JSON.stringify(botList)];
    return new Map([[deskId, workshop.once('bot-list', from, () => compileBotList(botList))]]);
  } catch {
    return new Map(last?.botLists);
  }
}

function compileDomains(
  domains: DeskConfiguration['domains'],
  campaigns: ReadonlyMap<string, CompiledCampaign>,
): Map<string, CompiledDomain> {
  return new Map(
    domains.map(({ host, fallbackUrl, paths }) => {
      const keys = new Map<string, string>();
      for (const { path, campaignId } of paths) {
        const campaign = campaigns.get(campaignId);
        if (campaign) keys.set(path, campaign.key);
      }
      return [host, { fallbackUrl, paths: keys }];
    }),
  );
}

function compiledOnes<T>(
  parts: readonly RawPart[],
  keyOf: (part: RawPart) => string,
  compile: (id: string) => T,
  last: ReadonlyMap<string, T> | undefined,
): Map<string, T> {
  const found = new Map<string, T>();
  for (const part of parts) {
    const key = keyOf(part);
    try {
      found.set(key, compile(part.id));
    } catch {
      const good = last?.get(key);
      if (good) found.set(key, good);
    }
  }
  return found;
}

const MISSING = 'A part that this campaign is made of is missing.';

function compileOffer(
  part: RawPart<OfferInput>,
  network: RawPart<NetworkInput>,
  deskZone: string,
): CompiledOffer {
  const link = compileLink(outgoingLink(part.body.link, network.body), 'offer link');
  const { fallbackUrl } = part.body;
  return Object.freeze({
    part,
    network,
    link,
    fallback: fallbackUrl === '' ? null : compileLink(fallbackUrl, 'address to fall back on'),
    zone: part.body.zone || deskZone,
    ...offerDays(part.body, deskZone),
  });
}

/** The page's own address takes the click ID, so that its script can hand it on to the buttons. */
function compileLanding(part: RawPart<LandingPageInput>): CompiledLanding {
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

interface PartsOfPairings {
  offer: (id: string) => CompiledOffer;
  landing: (id: string) => CompiledLanding;
  /** The desk's, for hours and weekdays that name none. */
  zone: string;
}

const compileBranch = (way: RoutedWay, { offer, landing, zone }: PartsOfPairings): CompiledBranch =>
  compileWay(way, zone, (p) => ({
    landing: p.landingPageId === '' ? null : landing(p.landingPageId),
    offers: p.offerIds.map(offer),
  }));

function compileCampaign(
  part: RawPart<CampaignInput>,
  source: RawPart<SourceInput>,
  from: PartsOfPairings,
): CompiledCampaign {
  const { body } = part;
  const branches = branchesOf(body).map((way) => compileBranch(way, from));
  return Object.freeze({
    id: part.id,
    key: part.key,
    deskId: part.deskId,
    version: part.version,
    name: part.name,
    sending: part.state === 'live',
    source,
    branches,
    sendBy: body.sendBy ?? 'redirect',
    fallback: body.fallbackUrl ? compileLink(body.fallbackUrl, 'fallback of the campaign') : null,
    account: body.account ?? '',
    adFormat: body.adFormat ?? '',
    costFactor: costFactor(source.body),
    costModel: body.costModel,
    costMicros: body.costMicros === '' ? null : BigInt(body.costMicros),
    costCurrency: body.costModel === 'link' ? source.body.costCurrency : body.costCurrency,
  });
}
