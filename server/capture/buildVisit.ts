/** From a request to the whole row of a visit and the address it goes to. No waiting, no writing. */
import {
  cleanText,
  cutBytes,
  parseQuery,
  plusAsSpace,
  presence,
  type ParsedQuery,
} from '@tracheon/core/links';
import {
  MAX_RAW_QUERY_BYTES,
  MAX_VALUE_BYTES,
  PARTNER_PARAMETER,
  type SourceInput,
} from '@tracheon/core/contract';
import { parseCost, type Micros } from '@tracheon/core/money';
import type { RoutingVisitor, VisitFacts, VisitorHistory } from '@tracheon/core/conditions';
import type { VisitRecord } from '../events/rows.ts';
import { addressPrefix } from '../addresses/addresses.ts';
import {
  isBlocked,
  type CompiledBotList,
  type CompiledCampaign,
  type CompiledPartner,
} from '../snapshot/compiled.ts';
import type { Target } from './sendable.ts';
import { RAW_REQUEST_LINE } from './requestTarget.ts';
import type { Memory } from './uniqueness.ts';
import type { TestMark } from './testMarks.ts';
import {
  nowhere,
  readAgent,
  readHost,
  readLanguage,
  type Agent,
  type FindPlace,
  type Place,
} from './visitor.ts';

export interface VisitRequest {
  query: string;
  address: string;
  userAgent: string;
  acceptLanguage: string | undefined;
  referrer: string | undefined;
  hasCookie: boolean;
  /** A test by a signed link, perhaps as from another country; null for everybody else. */
  test: TestMark | null;
  /** Its request line held raw spaces or UTF-8, and was read as if it had been encoded. */
  isRaw: boolean;
}
export interface VisitSurroundings {
  /** Where this visitor is sent. */
  route: (visitor: RoutingVisitor) => Target;
  /** A visit that counts goes to the offer. */
  sentTo: (offerId: string) => void;
  /** What the visitor's cookie tells of earlier visits. */
  history: () => VisitorHistory;
  findPlace: FindPlace;
  /** What the desk takes for bots besides; undefined: nothing. */
  botList: CompiledBotList | undefined;
  /** A partner of this desk; undefined: there is none of this ID. */
  partner: (id: string) => CompiledPartner | undefined;
  memory: Memory;
  newId: (nowMs: number) => string;
  now: number;
  /** False for a HEAD request, which is answered alike and leaves no mark. */
  recorded: boolean;
}

/** The row of the visit, and where it goes. */
export interface BuiltVisit {
  visit: VisitRecord;
  target: Target;
}

export function buildVisit(
  campaign: CompiledCampaign,
  request: VisitRequest,
  around: VisitSurroundings,
): BuiltVisit {
  const { now } = around;
  const query = parseQuery(request.query);
  const notes = new Set(query.notes);
  if (request.isRaw) notes.add(RAW_REQUEST_LINE);
  const told = readSource(campaign.source.body, query, notes);
  const userAgent = cleanText(request.userAgent).slice(0, 1024);
  const agent = readAgent(userAgent);
  const botReason = botReasonOf(agent, userAgent, request.address, around.botList);
  const found = around.findPlace(request.address);
  const isTest = request.test !== null;
  const place = request.test?.country ? { ...nowhere, country: request.test.country } : found;
  // A test leaves no trace in what decides about real visitors.
  const remembered = around.recorded && !isTest;
  const isRepeat =
    !isTest &&
    told.clickId !== '' &&
    around.memory.isRepeat(campaign.source.id, told.clickId, now, remembered);
  const hashed = around.memory.visit(campaign.id, request.address, userAgent, now, remembered);
  const cost = isRepeat || isTest ? 0n : visitCost(campaign, told.cost, notes);
  const unique = !request.hasCookie && hashed.unique;
  const broughtBy = partnerOf(campaign.source.body, query, around.partner, notes);
  if (broughtBy !== '' && isBlocked(around.partner(broughtBy)!, told.subs)) notes.add(BLOCKED_SUB);
  const facts = factsOf(campaign, request, place, agent, told, broughtBy, unique, cost);
  const target = around.route({
    visit: facts,
    address: request.address,
    nowMs: now,
    history: around.history,
  });
  const { fate, branchId, pairing, offer } = target;
  const { landing } = pairing;
  if (offer !== null && remembered && !isRepeat && botReason === '') around.sentTo(offer.part.id);
  const toPage = offer !== null && landing !== null;
  // Written out, since spreading objects into a row takes longer than all the rest of making it.
  const visit: VisitRecord = {
    deskId: campaign.deskId,
    id: around.newId(now),
    atMs: now,
    campaignId: campaign.id,
    campaignVersion: campaign.version,
    sourceId: campaign.source.id,
    accountId: campaign.account,
    adFormat: campaign.adFormat,
    broughtBy,
    fate,
    branchId,
    pairingId: pairing.id,
    offerId: offer?.part.id ?? '',
    offerVersion: offer?.part.version ?? 0,
    // Whose conversions a visit to a fallback address may get is not known: those of any network of the desk.
    networkId: offer?.network.id ?? '',
    landingId: toPage ? landing.part.id : '',
    landingVersion: toPage ? landing.part.version : 0,
    country: facts.country,
    region: facts.region,
    city: facts.city,
    isp: facts.isp,
    connection: facts.connection,
    language: facts.language,
    device: agent.device,
    deviceModel: agent.deviceModel,
    os: agent.os,
    osVersion: agent.osVersion,
    browser: agent.browser,
    browserVersion: agent.browserVersion,
    isBot: botReason !== '',
    botReason,
    referrerHost: facts.referrerHost,
    isRepeat,
    isUnique: facts.isUnique,
    isTest,
    guessed: !request.hasCookie,
    visitorHash: hashed.hash,
    costMicros: cost,
    costCurrency: campaign.costCurrency,
    sourceClickId: told.clickId,
    subs: told.subs,
    notes: notes.size === 0 ? NO_NOTES : [...notes],
    rawQuery: cutBytes(cleanText(request.query), MAX_RAW_QUERY_BYTES),
    addressPrefix: addressPrefix(request.address),
    address: request.address,
    userAgent,
  };
  return { visit, target };
}
/** What tells the bot; empty for people. */
function botReasonOf(
  agent: Agent,
  userAgent: string,
  address: string,
  list: CompiledBotList | undefined,
): Agent['botReason'] | 'listed_agent' | 'listed_address' {
  if (agent.botReason !== '' || list === undefined) return agent.botReason;
  if (list.hasAgent(userAgent)) return 'listed_agent';
  return list.hasAddress(address) ? 'listed_address' : '';
}

/** What a branch can ask for. */
const factsOf = (
  campaign: CompiledCampaign,
  request: VisitRequest,
  place: Place,
  agent: Agent,
  told: Told,
  broughtBy: string,
  isUnique: boolean,
  costMicros: Micros | null,
): VisitFacts => ({
  country: place.country,
  region: place.region,
  city: place.city,
  isp: place.isp,
  connection: place.connection,
  language: readLanguage(request.acceptLanguage),
  device: agent.device,
  deviceModel: agent.deviceModel,
  os: agent.os,
  osVersion: agent.osVersion,
  browser: agent.browser,
  browserVersion: agent.browserVersion,
  referrerHost: cleanText(readHost(request.referrer)),
  sourceId: campaign.source.id,
  broughtBy,
  isUnique,
  costMicros,
  subs: told.subs,
});
const NO_NOTES: string[] = [];
/** The visit was sent to no offer, since its partner may not send what has this sub-ID. */
const BLOCKED_SUB = 'blocked_sub';

/** Whose link it was; empty for nobody's. A source that has a parameter of this name means something else by it. */
function partnerOf(
  source: SourceInput,
  query: ParsedQuery,
  partner: VisitSurroundings['partner'],
  notes: Set<string>,
): string {
  const told = query.values.get(PARTNER_PARAMETER);
  if (told === undefined || told === '' || source.parameters.some((p) => p.parameter === PARTNER_PARAMETER))
    return '';
  if (partner(told)) return told;
  notes.add('unknown_partner');
  return '';
}

interface Told {
  clickId: string;
  cost: string | null;
  subs: Record<string, string>;
}

/** Reads what the source tells by its mapping; several parameters may feed one name, the first present counts. */
export function readSource(source: SourceInput, query: ParsedQuery, notes: Set<string>): Told {
  // A sub-ID's name begins with a letter, so that none is a name of the prototype's own.
  const told: Told = { clickId: '', cost: null, subs: {} };
  const { subs } = told;
  for (const p of source.parameters) {
    const found = presence(query.values.get(p.parameter), p.macro);
    if (found.state === 'unsubstituted') notes.add(`unsubstituted:${p.parameter}`);
    if (found.state !== 'present') continue;
    if (p.role === 'click_id') told.clickId = found.value;
    else if (p.role === 'cost') told.cost = found.value;
    else if (!Object.hasOwn(subs, p.sub)) {
      // A plus sign is a space in sub-IDs only.
      const raw = query.raw.get(p.parameter) ?? '';
      const value = raw.includes('+')
        ? cutBytes(cleanText(plusAsSpace(raw)).trim(), MAX_VALUE_BYTES)
        : found.value;
      subs[p.sub] = value;
    }
  }
  return told;
}

const unitDivisor: Record<SourceInput['costUnit'], bigint> = {
  visit: 1n,
  thousand: 1000n,
  cents: 100n,
  micros: 1_000_000n,
};

function visitCost(campaign: CompiledCampaign, told: string | null, notes: Set<string>): Micros | null {
  switch (campaign.costModel) {
    case 'none':
    case 'thousand':
      // Impressions are counted apart, and spread over the visits of their day in the numbers index.
      return null;
    case 'conversion':
    case 'share':
      // Nothing until it converts.
      return 0n;
    case 'visit':
      return campaign.costMicros === null ? null : withFactor(campaign.costMicros, campaign.costFactor);
    case 'link':
      return linkCost(campaign, told, notes);
  }
}

function linkCost(campaign: CompiledCampaign, told: string | null, notes: Set<string>): Micros | null {
  if (told === null) {
    notes.add('no_cost');
    return null;
  }
  const cost = costOf(told, campaign.source.body);
  if (cost === null) {
    notes.add('unreadable_cost');
    return null;
  }
  if (cost.isFine) notes.add('rounded_cost');
  if (isOdd(cost.micros, campaign.costMicros)) notes.add('odd_cost');
  return withFactor(cost.micros, campaign.costFactor);
}

/** So many times the usual bid, or so small a part of it, is most likely a wrong unit or a wrong parameter. */
const ODD_TIMES = 20n;
const isOdd = (cost: Micros, usual: Micros | null): boolean =>
  usual !== null && usual > 0n && cost > 0n && (cost > ODD_TIMES * usual || ODD_TIMES * cost < usual);

const ONE = 1_000_000n;
const withFactor = (cost: Micros, factor: bigint): Micros =>
  factor === ONE ? cost : (2n * cost * factor + ONE) / (2n * ONE);

/** Bids repeat: what was read once is remembered, up to a bound. */
const readCosts = new Map<string, ReadCost | null>();
const MAX_READ_COSTS = 20_000;

interface ReadCost {
  micros: Micros;
  /** It had more decimals than money has here. */
  isFine: boolean;
}

/** Null when it cannot be read with certainty. */
function costOf(told: string, { decimalMark, costUnit }: SourceInput): ReadCost | null {
  const key = `${costUnit}${decimalMark}${told}`;
  const known = readCosts.get(key);
  if (known !== undefined) return known;
  const parsed = parseCost(told, decimalMark);
  const divisor = 1000n * unitDivisor[costUnit];
  const cost = parsed.ok
    ? { micros: (2n * parsed.nanos + divisor) / (2n * divisor), isFine: parsed.isFine }
    : null;
  if (readCosts.size >= MAX_READ_COSTS) readCosts.clear();
  readCosts.set(key, cost);
  return cost;
}
