/**
 * GET /v/<campaign key>: commit, then answer. A visit is durable before its redirect is answered: in the database,
 * or, when that does not take it in time, on disk. When neither does, the visitor goes on all the same, and the visit is
 * counted as unrecorded.
 */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { SENT_NOWHERE } from '@tracheon/core/visits';
import type { VisitRecord } from '../events/rows.ts';
import type { FailureThrottle } from '../limits/failureThrottle.ts';
import { clientAddress, type Ranges } from '../addresses/addresses.ts';
import { redirect, refuse } from './answers.ts';
import { asLocation, buildVisit, destination, namesOf, type VisitSurroundings } from './buildVisit.ts';
import { route, type IsCapped, type OddsOf, type Target } from './sendable.ts';
import type { CompiledCampaign, CompiledLanding, Snapshot } from '../snapshot/compiled.ts';
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
    const now = deps.now();
    if (deps.strangers.isClosed(address, now)) return refuse(res, 'too_many_tries', { 'Retry-After': '60' });
    deps.strangers.failed(address, now);
    deps.onUnknownKey(key, hostOf(req), deps.findPlace(address).country);
    const fallback = deps.snapshot().domains.get(hostOf(req))?.fallbackUrl;
    return fallback ? redirect(res, asLocation(fallback), []) : refuse(res, 'unknown_campaign_key');
  }
  const test = deps.testMarks.read(query, campaign.key, deps.now());
  if (test && !test.ok)
    return refuse(res, test.why === 'expired' ? 'test_link_expired' : 'test_link_invalid');
  const referrer = header(req, 'referer')?.slice(0, MAX_REFERRER_LENGTH);
  const cookie = `v_${campaign.key}`;
  const before = cookieValue(req.headers.cookie, cookie);
  const request = {
    query,
    address,
    userAgent: header(req, 'user-agent') ?? '',
    acceptLanguage: header(req, 'accept-language'),
    referrer,
    hasCookie: before !== null,
    test: test?.mark ?? null,
    isRaw: wasRaw(req),
  };
  const around = surroundings(deps, campaign, before ?? '', req);
  const { visit, target } = buildVisit(campaign, request, around);
  const url = onward(deps, campaign, target, visit, referrer);
  if (url === null) visit.notes = [...visit.notes, SENT_NOWHERE];
  if (visit.landingId !== '' && req.method === 'GET') deps.recent.set(visit.id, visit);
  // HEAD is answered alike and recorded nowhere.
  if (req.method === 'GET')
    await deps.keep(visit).then(
      () => deps.onRecorded(visit),
      // A visitor goes on whatever happens to the row; what was not kept is counted loudly.
      (error: unknown) => deps.onUnrecorded(visit, error),
    );
  if (url === null) return refuse(res, campaign.sending ? 'no_offer_open' : 'campaign_paused');
  const cookies = visit.isTest
    ? []
    : [`${cookie}=${visit.pairingId}; ${deps.secureCookies ? SECURE_FLAGS : PLAIN_FLAGS}`];
  const landing = visit.landingId === '' ? null : target.pairing.landing;
  // A test is remembered for its own buttons, and not for what branches ask.
  if (landing !== null || !visit.isTest)
    cookies.push(deps.handles.cookie(req.headers.cookie, handleOf(campaign, landing, visit)));
  redirect(res, url, cookies);
}

const handleOf = (c: CompiledCampaign, page: CompiledLanding | null, visit: VisitRecord): VisitHandle => ({
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

function surroundings(
  deps: CaptureDeps,
  campaign: CompiledCampaign,
  before: string,
  { method, headers }: IncomingMessage,
): VisitSurroundings {
  const now = deps.now();
  const { random, oddsOf } = deps;
  return {
    route: (visitor) => route(campaign, deps.snapshot(), { visitor, before, random, oddsOf }, deps.isCapped),
    findPlace: deps.findPlace,
    memory: deps.memory,
    newId: deps.newId,
    now,
    recorded: method === 'GET',
    history: () => visitorHistory(deps, deps.snapshot(), campaign.deskId, headers.cookie),
  };
}

export function header(req: IncomingMessage, name: string): string | undefined {
  const value = req.headers[name];
  return Array.isArray(value) ? value[0] : value;
}
