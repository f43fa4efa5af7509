/** From a request to the whole row of a visit and the address it goes to. No waiting, no writing. */
import {
  cleanText,
  cutBytes,
  parseQuery,
  plusAsSpace,
  presence,
  type ParsedQuery,
} from '@tracheon/core/links';
import { MAX_RAW_QUERY_BYTES, MAX_VALUE_BYTES, type SourceInput } from '@tracheon/core/contract';
import { formatAmount, parseAmount, type Micros } from '@tracheon/core/money';
import { expandTemplate, type TokenValue } from '@tracheon/core/tokens';
import type { VisitRecord } from '../events/rows.ts';
import { addressPrefix } from './addresses.ts';
import type { CompiledCampaign } from './snapshot.ts';
import type { Memory } from './uniqueness.ts';
import { readAgent, readHost, readLanguage, type FindPlace } from './visitor.ts';

export interface VisitRequest {
  query: string;
  address: string;
  userAgent: string;
  acceptLanguage: string | undefined;
  referrer: string | undefined;
  hasCookie: boolean;
}
export interface VisitSurroundings {
  findPlace: FindPlace;
  memory: Memory;
  newId: (nowMs: number) => string;
  now: number;
  /** False for a HEAD request, which is answered alike and leaves no mark. */
  recorded: boolean;
}

export function buildVisit(
  campaign: CompiledCampaign,
  request: VisitRequest,
  around: VisitSurroundings,
): VisitRecord {
  const { now } = around;
  const query = parseQuery(request.query);
  const notes = new Set(query.notes);
  const told = readSource(campaign.source.body, query, notes);
  const userAgent = cleanText(request.userAgent).slice(0, 1024);
  const agent = readAgent(userAgent);
  const isRepeat =
    told.clickId !== '' && around.memory.isRepeat(campaign.source.id, told.clickId, now, around.recorded);
  const hashed = around.memory.visit(campaign.id, request.address, userAgent, now, around.recorded);
  const cost = isRepeat ? 0n : visitCost(campaign, told.cost, notes);
  const rawQuery = cutBytes(cleanText(request.query), MAX_RAW_QUERY_BYTES);
  return {
    deskId: campaign.deskId,
    id: around.newId(now),
    atMs: now,
    campaignId: campaign.id,
    campaignVersion: campaign.version,
    sourceId: campaign.source.id,
    branch: campaign.sending ? 'otherwise' : 'stopped',
    offerId: campaign.sending ? campaign.offer.id : '',
    offerVersion: campaign.offer.version,
    networkId: campaign.network.id,
    ...around.findPlace(request.address),
    language: readLanguage(request.acceptLanguage),
    ...agent,
    referrerHost: cleanText(readHost(request.referrer)),
    isRepeat,
    isUnique: !request.hasCookie && hashed.unique,
    isTest: false,
    guessed: !request.hasCookie,
    visitorHash: hashed.hash,
    costMicros: cost,
    costCurrency: campaign.costCurrency,
    sourceClickId: told.clickId,
    subs: told.subs,
    notes: [...notes],
    rawQuery,
    addressPrefix: addressPrefix(request.address),
    address: request.address,
    userAgent,
  };
}

interface Told {
  clickId: string;
  cost: string | null;
  subs: Record<string, string>;
}

/** Reads what the source tells by its mapping; several parameters may feed one name, the first present counts. */
function readSource(source: SourceInput, query: ParsedQuery, notes: Set<string>): Told {
  const told: Told = { clickId: '', cost: null, subs: {} };
  const subs = new Map<string, string>();
  for (const p of source.parameters) {
    const found = presence(query.values.get(p.parameter), p.macro);
    if (found.state === 'unsubstituted') notes.add(`unsubstituted:${p.parameter}`);
    if (found.state !== 'present') continue;
    if (p.role === 'click_id') told.clickId = found.value;
    else if (p.role === 'cost') told.cost = found.value;
    else if (!subs.has(p.sub)) {
      // A plus sign is a space in sub-IDs only.
      const raw = query.raw.get(p.parameter) ?? '';
      const value = raw.includes('+')
        ? cutBytes(cleanText(plusAsSpace(raw)).trim(), MAX_VALUE_BYTES)
        : found.value;
      subs.set(p.sub, value);
    }
  }
  told.subs = Object.fromEntries(subs);
  return told;
}

const unitDivisor: Record<SourceInput['costUnit'], bigint> = {
  visit: 1n,
  thousand: 1000n,
  cents: 100n,
  micros: 1_000_000n,
};

function visitCost(campaign: CompiledCampaign, told: string | null, notes: Set<string>): Micros | null {
  if (campaign.costModel === 'none') return null;
  if (campaign.costModel === 'visit') return campaign.costMicros;
  if (told === null) {
    notes.add('no_cost');
    return null;
  }
  const parsed = parseAmount(told, campaign.source.body.decimalMark);
  if (!parsed.ok) {
    notes.add('unreadable_cost');
    return null;
  }
  const divisor = unitDivisor[campaign.source.body.costUnit];
  return (2n * parsed.micros + divisor) / (2n * divisor);
}

export interface PartNames {
  source: { id: string; name: string };
  network: { name: string };
  offer: { id: string; name: string };
  id: string;
  name: string;
}
export type TokenVisit = Omit<
  VisitRecord,
  'address' | 'addressPrefix' | 'rawQuery' | 'visitorHash' | 'notes' | 'guessed'
>;

/** Value of a visit token by name; undefined for what this visit does not know. */
export function visitToken(names: PartNames, visit: TokenVisit, referrer = ''): (name: string) => TokenValue {
  return (name) => {
    if (name.startsWith('sub_'))
      return Object.hasOwn(visit.subs, name.slice(4)) ? visit.subs[name.slice(4)] : undefined;
    switch (name) {
      case 'click_id':
        return visit.id;
      case 'source_click_id':
        return visit.sourceClickId || undefined;
      case 'source_id':
        return names.source.id;
      case 'source_name':
        return names.source.name;
      case 'network_name':
        return names.network.name;
      case 'campaign_id':
        return names.id;
      case 'campaign_name':
        return names.name;
      case 'branch_name':
        return visit.branch;
      case 'offer_id':
        return names.offer.id;
      case 'offer_name':
        return names.offer.name;
      case 'country':
        return visit.country || undefined;
      case 'region':
        return visit.region || undefined;
      case 'city':
        return visit.city || undefined;
      case 'language':
        return visit.language || undefined;
      case 'device':
        return visit.device || undefined;
      case 'device_model':
        return visit.deviceModel || undefined;
      case 'os':
        return visit.os || undefined;
      case 'os_version':
        return visit.osVersion || undefined;
      case 'browser':
        return visit.browser || undefined;
      case 'browser_version':
        return visit.browserVersion || undefined;
      case 'isp':
        return visit.isp || undefined;
      case 'connection':
        return visit.connection || undefined;
      case 'user_agent':
        return visit.userAgent || undefined;
      case 'referrer':
        return referrer || undefined;
      case 'referrer_host':
        return visit.referrerHost || undefined;
      case 'visit_time':
        return new Date(visit.atMs).toISOString();
      case 'visit_unix':
        return Math.floor(visit.atMs / 1000);
      case 'cost':
        return visit.costMicros === null ? undefined : formatAmount(visit.costMicros);
      case 'currency':
        return visit.costCurrency;
      // The click ID's random half: fixed with the visit, unguessable, different each time.
      case 'nonce':
        return visit.id.slice(10);
      default:
        return undefined;
    }
  };
}

/** Where the visitor goes; null when expansion would leave the template's origin. */
export function destination(
  campaign: CompiledCampaign,
  visit: VisitRecord,
  referrer?: string,
): string | null {
  const url = expandTemplate(campaign.destination, visitToken(campaign, visit, referrer));
  try {
    const parsed = new URL(url);
    if (parsed.origin !== campaign.destinationOrigin) return null;
  } catch {
    return null;
  }
  // A Location header is ASCII (RFC 9110 §10.2.2); what is not was a literal, and is encoded as it stands.
  return url.replace(/[^\x21-\x7e]+/g, (run) => encodeURIComponent(run.toWellFormed()));
}
