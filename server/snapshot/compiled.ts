/**
 * What visits are answered from: compiled once, frozen, replaced as a whole. Each desk is compiled by itself; a snapshot holds
 * all of them by the keys that stand in links.
 */
import type {
  BotList,
  CampaignInput,
  LandingPageInput,
  NetworkInput,
  OfferInput,
  PartKind,
  SourceInput,
} from '@tracheon/core/contract';
import type { CompiledLink } from '@tracheon/core/links';
import type { CompiledWay, Weighed } from '@tracheon/core/routing';
import type { Ranges } from '../addresses/addresses.ts';

export interface RawPart<B = unknown> {
  id: string;
  deskId: string;
  kind: PartKind;
  name: string;
  key: string;
  state: 'live' | 'paused' | 'archived';
  version: number;
  body: B;
}
/** Everything that one desk is compiled from. Event types are not: visits need none. */
export interface DeskConfiguration {
  deskId: string;
  /** Rises with every change of the desk's records. */
  version: number;
  zone: string;
  fallbackUrl: string;
  /** Absent in what older versions have kept on disk. */
  botList?: BotList;
  parts: readonly RawPart[];
  domains: readonly { host: string; fallbackUrl: string; paths: { path: string; campaignId: string }[] }[];
  /** Keys of networks that were rotated, as long as calls with them are taken. */
  oldKeys: readonly { key: string; partId: string; untilMs: number }[];
}

export interface CompiledOffer {
  part: RawPart<OfferInput>;
  network: RawPart<NetworkInput>;
  link: CompiledLink;
  /** Where visitors go while neither it nor its fallback offers can take them; null: nowhere. */
  fallback: CompiledLink | null;
  /** Its own, else the desk's. */
  zone: string;
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
export interface CompiledPairing extends Weighed {
  /** null for a direct link. */
  landing: CompiledLanding | null;
  /** By button; at least one. */
  offers: readonly CompiledOffer[];
}
export type CompiledBranch = CompiledWay<CompiledPairing>;
export interface CompiledCampaign {
  id: string;
  key: string;
  deskId: string;
  version: number;
  name: string;
  sending: boolean;
  source: RawPart<SourceInput>;
  branches: readonly CompiledBranch[];
  sendBy: CampaignInput['sendBy'];
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
/** What a desk takes for bots of its own accord. */
export interface CompiledBotList {
  hasAgent: (userAgent: string) => boolean;
  hasAddress: (address: string) => boolean;
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
export interface Broken {
  campaignId: string;
  deskId: string;
  why: string;
}

/** What calls are looked up by. All maps but those of IDs go by keys of the wire, which no two desks share. */
export interface CompiledPartner {
  deskId: string;
  /** Values of sub-IDs whose visits are sent to no offer. */
  blocked: ReadonlyMap<string, ReadonlySet<string>>;
}
/** Whether a visit of the partner has a value that is blocked. */
export function isBlocked({ blocked }: CompiledPartner, subs: Readonly<Record<string, string>>): boolean {
  for (const [sub, values] of blocked) {
    const value = Object.hasOwn(subs, sub) ? subs[sub] : undefined;
    if (value !== undefined && values.has(value)) return true;
  }
  return false;
}

export interface Lookups {
  campaigns: ReadonlyMap<string, CompiledCampaign>;
  campaignsById: ReadonlyMap<string, CompiledCampaign>;
  intakes: ReadonlyMap<string, IntakeEndpoint>;
  /** All offers, those of clicks on pages whose campaign has another one by now included. */
  offers: ReadonlyMap<string, CompiledOffer>;
  /** By the partner's ID: a link of any campaign of its desk may name it. */
  partners: ReadonlyMap<string, CompiledPartner>;
  /** Landing pages by key: buttons know nothing else. */
  landings: ReadonlyMap<string, CompiledLanding>;
  /** Where a desk's visitors go when nothing else takes them, by desk. */
  deskFallbacks: ReadonlyMap<string, CompiledLink>;
  /** Of desks that have one, by desk. */
  botLists: ReadonlyMap<string, CompiledBotList>;
  /** Tracking domains by host. */
  domains: ReadonlyMap<string, CompiledDomain>;
}
export interface Snapshot extends Lookups {
  /** The version of each desk. */
  versions: ReadonlyMap<string, number>;
  broken: readonly Broken[];
}

const noLookups: Lookups = {
  campaigns: new Map(),
  campaignsById: new Map(),
  intakes: new Map(),
  offers: new Map(),
  partners: new Map(),
  landings: new Map(),
  deskFallbacks: new Map(),
  botLists: new Map(),
  domains: new Map(),
};
export const emptySnapshot: Snapshot = { ...noLookups, versions: new Map(), broken: [] };
export const lookupNames = Object.keys(noLookups) as (keyof Lookups)[];
