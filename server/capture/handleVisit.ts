/**
 * GET /v/<campaign key>: commit, then answer. A visit is durable before its redirect is answered: in the database,
 * or, when that does not take it in time, on disk. When neither does, the visitor goes on all the same, and the visit is
 * counted as unrecorded.
 */
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { ErrorCode } from '@tracheon/core/contract';
import { asLocation, destination } from '@tracheon/core/links';
import { SENT_NOWHERE } from '@tracheon/core/visits';
import type { VisitRecord } from '../events/rows.ts';
import type { FailureThrottle } from '../limits/failureThrottle.ts';
import { clientAddress, type Ranges } from '../addresses/addresses.ts';
import { redirect, refuse, sendOn } from './answers.ts';
import { buildVisit, type VisitRequest, type VisitSurroundings } from './buildVisit.ts';
import { namesOf } from './visitNames.ts';
import { route, type IsCapped, type OddsOf, type Target } from './sendable.ts';
import {
  isBlocked,
  type CompiledCampaign,
  type CompiledLanding,
  type Snapshot,
} from '../snapshot/compiled.ts';
import type { Handles, RecentVisits, VisitHandle } from './visitHandles.ts';
import { wasRaw } from './requestTarget.ts';
import type { TestMarks } from './testMarks.ts';
import type { Memory } from './uniqueness.ts';
import { MAX_REFERRER_LENGTH, type FindPlace } from './visitor.ts';
import { visitorHistory } from './visitorHistory.ts';

const COOKIE_SECONDS = 24 * 3600;

export interface CaptureDeps {
  snapshot: () => Snapshot;
  /** Resolves once the visit is durable, in the database or on disk; rejects when neither took it. */
  keep: (visit: VisitRecord) => Promise<unknown>;
  memory: Memory;
  /** Visits that were sent to a page, for their button clicks. */
  recent: RecentVisits;
  handles: Handles;
  testMarks: TestMarks;
  isCapped: IsCapped;
  /** A visit that counts against the offer's cap. */
  sentTo: (offerId: string) => void;
  oddsOf: OddsOf;
  /** Whether a visit has converted of late. */
  hasConverted: (clickId: string) => boolean;
  findPlace: FindPlace;
  trusted: Ranges;
  secureCookies: boolean;
  newId: (nowMs: number) => string;
  now: () => number;
  /** Draws pairings; in [0, 1). */
  random: () => number;
  onRecorded: (visit: VisitRecord) => void;
  onUnrecorded: (visit: VisitRecord, why: unknown) => void;
  /** Requests with unknown keys, by address: whoever searches for keys is held off, and no longer counted. */
  strangers: FailureThrottle;
  onUnknownKey: (key: string, host: string, country: string) => void;
}

export async function handleVisit(
  deps: CaptureDeps,
  req: IncomingMessage,
  res: ServerResponse,
  key: string,
  query: string,
): Promise<void> {
  if (refuseNoVisit(req, res)) return;

  const address = clientAddress(req.socket.remoteAddress ?? '', header(req, 'x-forwarded-for'), deps.trusted);
  const campaign = deps.snapshot().campaigns.get(key);
  if (!campaign) {
    if (strangerAt(deps, address, key, hostOf(req), res)) return;
    const fallback = deps.snapshot().domains.get(hostOf(req))?.fallbackUrl;
    return fallback ? redirect(res, asLocation(fallback), []) : refuse(res, 'unknown_campaign_key');
  }
  const request = requestOf(deps, campaign, req, address, query);
  if ('refused' in request) return refuse(res, request.refused);
  const around = surroundings(deps, campaign, request.before, req);
  const { visit, target } = buildVisit(campaign, request, around);
  const url = onward(deps, campaign, target, visit, request.referrer);
  if (url === null) visit.notes = [...visit.notes, SENT_NOWHERE];
  await keepVisit(deps, req, visit);
  if (url === null) return refuse(res, campaign.sending ? 'no_offer_open' : 'campaign_paused');
  const landing = visit.landingId === '' ? null : target.pairing.landing;
  sendOn(res, campaign.sendBy, url, cookiesOf(deps, campaign, req, visit, landing));
}

/** True when whoever asks for unknown keys again and again was refused; else the key is counted. */
export function strangerAt(
  deps: CaptureDeps,
  address: string,
  key: string,
  host: string,
  res: ServerResponse,
): true | undefined {
  const now = deps.now();
  if (deps.strangers.isClosed(address, now)) {
    refuse(res, 'too_many_tries', { 'Retry-After': '60' });
    return true;
  }
  deps.strangers.failed(address, now);
  deps.onUnknownKey(key, host, deps.findPlace(address).country);
  return undefined;
}

/** What a visit is built from, with the pairing that the visitor had before; or why a test is refused. */
export function requestOf(
  deps: CaptureDeps,
  campaign: CompiledCampaign,
  req: IncomingMessage,
  address: string,
  query: string,
): (VisitRequest & { before: string }) | { refused: ErrorCode } {
  const test = deps.testMarks.read(query, campaign.key, deps.now());
  if (test && !test.ok)
    return { refused: test.why === 'expired' ? 'test_link_expired' : 'test_link_invalid' };
  const before = cookieValue(req.headers.cookie, cookieOf(campaign));
  return {
    query,
    address,
    userAgent: header(req, 'user-agent') ?? '',
    acceptLanguage: header(req, 'accept-language'),
    referrer: header(req, 'referer')?.slice(0, MAX_REFERRER_LENGTH),
    hasCookie: before !== null,
    test: test?.mark ?? null,
    isRaw: wasRaw(req),
    before: before ?? '',
  };
}

/** Durable, or counted as unrecorded: a visitor goes on whatever happens to the row. HEAD is recorded nowhere. */
export async function keepVisit(deps: CaptureDeps, req: IncomingMessage, visit: VisitRecord): Promise<void> {
  if (req.method !== 'GET') return;
  if (visit.landingId !== '') deps.recent.set(visit.id, visit);
  try {
    await deps.keep(visit);
  } catch (error) {
    return deps.onUnrecorded(visit, error);
  }
  deps.onRecorded(visit);
}

const cookieOf = (campaign: CompiledCampaign): string => `v_${campaign.key}`;

/** What the browser is to remember. A test is remembered for its own buttons, and not for what branches ask. */
export function cookiesOf(
  deps: CaptureDeps,
  campaign: CompiledCampaign,
  req: IncomingMessage,
  visit: VisitRecord,
  landing: CompiledLanding | null,
): string[] {
  const cookies = visit.isTest
    ? []
    : [`${cookieOf(campaign)}=${visit.pairingId}; ${deps.secureCookies ? SECURE_FLAGS : PLAIN_FLAGS}`];
  if (landing !== null || !visit.isTest)
    cookies.push(deps.handles.cookie(req.headers.cookie, handleOf(campaign, landing, visit)));
  return cookies;
}

export const handleOf = (
  c: CompiledCampaign,
  page: CompiledLanding | null,
  visit: VisitRecord,
): VisitHandle => ({
  clickId: visit.id,
  campaignKey: c.key,
  landingKey: page?.part.key ?? '',
  pairingId: visit.pairingId,
});

/** To the page, with what lets its buttons find this visit again; or straight to the offer; null for nowhere. */
function onward(
  deps: CaptureDeps,
  campaign: CompiledCampaign,
  target: Target,
  visit: VisitRecord,
  referrer: string | undefined,
): string | null {
  const { landing } = target.pairing;
  if (target.offer === null)
    return target.address && destination(target.address, namesOf(campaign, null, null), visit, referrer);
  const names = namesOf(campaign, target.offer, landing);
  if (landing === null) return destination(target.offer.link, names, visit, referrer);
  const url = destination(landing.link, names, visit, referrer);
  return url === null ? null : deps.handles.addTo(url, handleOf(campaign, landing, visit));
}

/** The host by which the request came, as tracking domains are listed. */
export const hostOf = (req: IncomingMessage): string => (req.headers.host ?? '').toLowerCase();

const FLAGS = `Path=/; Max-Age=${COOKIE_SECONDS}; HttpOnly; SameSite=`;
const SECURE_FLAGS = `${FLAGS}None; Secure`;
const PLAIN_FLAGS = `${FLAGS}Lax`;

/** True when it was refused. A prefetch is no visit (Speculation Rules; the older Purpose header): the real navigation asks again. */
export function refuseNoVisit(req: IncomingMessage, res: ServerResponse): boolean {
  const purpose = req.headers['sec-purpose'] ?? req.headers['purpose'];
  if (purpose !== undefined && isAhead(req)) refuse(res, 'not_a_visit');
  else if (req.method !== 'GET' && req.method !== 'HEAD')
    refuse(res, 'method_not_allowed', { Allow: 'GET, HEAD' });
  else return false;
  return true;
}

const isAhead = (req: IncomingMessage): boolean =>
  /prefetch|prerender|preview/i.test(
    `${String(req.headers['sec-purpose'] ?? '')} ${String(req.headers['purpose'] ?? '')}`,
  );

/** null when the visitor has none of this name. The value is the pairing that the visitor had before. */
const cookieValue = (cookies: string | undefined, name: string): string | null =>
  cookies
    ?.split(/;\s*/)
    .find((c) => c.startsWith(`${name}=`))
    ?.slice(name.length + 1) ?? null;

/** Which offers are closed to this visit: by a cap, its partner's own ones among them, or because of what its partner may not send. */
export function closedTo(
  deps: Pick<CaptureDeps, 'isCapped' | 'snapshot'>,
  { broughtBy, subs }: { broughtBy: string; subs: Readonly<Record<string, string>> },
): IsCapped {
  if (broughtBy === '') return deps.isCapped;
  const partner = deps.snapshot().partners.get(broughtBy);
  if (partner && isBlocked(partner, subs)) return () => true;
  return (offerId) => deps.isCapped(offerId, broughtBy);
}

/** `campaign` may be less than the whole: that of one page. */
export function surroundings(
  deps: CaptureDeps,
  campaign: CompiledCampaign,
  before: string,
  { method, headers }: IncomingMessage,
): VisitSurroundings {
  const now = deps.now();
  const { random, oddsOf } = deps;
  return {
    route: (visitor) =>
      route(campaign, deps.snapshot(), { visitor, before, random, oddsOf }, closedTo(deps, visitor.visit)),
    findPlace: deps.findPlace,
    botList: deps.snapshot().botLists.get(campaign.deskId),
    partner: (id) => {
      const partner = deps.snapshot().partners.get(id);
      return partner?.deskId === campaign.deskId ? partner : undefined;
    },
    memory: deps.memory,
    newId: deps.newId,
    now,
    recorded: method === 'GET',
    sentTo: deps.sentTo,
    history: () => visitorHistory(deps, deps.snapshot(), campaign.deskId, headers.cookie),
  };
}

export function header(req: IncomingMessage, name: string): string | undefined {
  const value = req.headers[name];
  return Array.isArray(value) ? value[0] : value;
}
