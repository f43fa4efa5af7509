/**
 * GET /v/<campaign key>: commit, then answer. A visit is durable before its redirect is answered: in the database,
 * or, when that does not take it in time, on disk. When neither does, the visitor goes on all the same, and the visit is
 * counted as unrecorded.
 */
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { VisitRecord } from '../events/rows.ts';
import type { FailureThrottle } from '../limits/failureThrottle.ts';
import { clientAddress, type Ranges } from './addresses.ts';
import { redirect, refuse } from './answers.ts';
import { buildVisit, destination } from './buildVisit.ts';
import type { Snapshot } from './snapshot.ts';
import type { Memory } from './uniqueness.ts';
import type { FindPlace } from './visitor.ts';

const COOKIE_SECONDS = 24 * 3600;

export interface CaptureDeps {
  snapshot: () => Snapshot;
  /** Resolves once the visit is durable, in the database or on disk; rejects when neither took it. */
  keep: (visit: VisitRecord) => Promise<unknown>;
  memory: Memory;
  findPlace: FindPlace;
  trusted: Ranges;
  secureCookies: boolean;
  newId: (nowMs: number) => string;
  now: () => number;
  onRecorded: (visit: VisitRecord) => void;
  onUnrecorded: (visit: VisitRecord, why: unknown) => void;
  /** Requests with unknown keys, by address: whoever searches for keys is held off, and no longer counted. */
  strangers: FailureThrottle;
  onUnknownKey: (key: string, country: string) => void;
}

export async function handleVisit(
  deps: CaptureDeps,
  req: IncomingMessage,
  res: ServerResponse,
  key: string,
  query: string,
): Promise<void> {
  // A prefetch is no visit (Speculation Rules; the older Purpose header): the real navigation asks again.
  const purpose = header(req, 'sec-purpose') ?? header(req, 'purpose');
  if (purpose !== undefined && isAhead(req)) return refuse(res, 'not_a_visit');
  if (req.method !== 'GET' && req.method !== 'HEAD')
    return refuse(res, 'method_not_allowed', { Allow: 'GET, HEAD' });

  const address = clientAddress(req.socket.remoteAddress ?? '', header(req, 'x-forwarded-for'), deps.trusted);
  const campaign = deps.snapshot().campaigns.get(key);
  if (!campaign) {
    const now = deps.now();
    if (deps.strangers.isClosed(address, now)) return refuse(res, 'too_many_tries', { 'Retry-After': '60' });
    deps.strangers.failed(address, now);
    deps.onUnknownKey(key, deps.findPlace(address).country);
    return refuse(res, 'unknown_campaign_key');
  }
  const referrer = header(req, 'referer');
  const cookie = `v_${campaign.key}`;
  const request = {
    query,
    address,
    userAgent: header(req, 'user-agent') ?? '',
    acceptLanguage: header(req, 'accept-language'),
    referrer,
    hasCookie: hasCookie(req.headers.cookie, cookie),
  };
  const visit = buildVisit(campaign, request, surroundings(deps, req.method === 'GET'));
  const url = campaign.sending ? destination(campaign, visit, referrer) : null;
  // HEAD is answered alike and recorded nowhere.
  if (req.method === 'GET')
    await deps.keep(visit).then(
      () => deps.onRecorded(visit),
      // A visitor goes on whatever happens to the row; what was not kept is counted loudly.
      (error: unknown) => deps.onUnrecorded(visit, error),
    );
  if (url === null) return refuse(res, 'campaign_stopped');
  redirect(res, url, `${cookie}=1; ${deps.secureCookies ? SECURE_FLAGS : PLAIN_FLAGS}`);
}

const FLAGS = `Path=/; Max-Age=${COOKIE_SECONDS}; HttpOnly; SameSite=`;
const SECURE_FLAGS = `${FLAGS}None; Secure`;
const PLAIN_FLAGS = `${FLAGS}Lax`;

const isAhead = (req: IncomingMessage): boolean =>
  /prefetch|prerender|preview/i.test(
    `${String(req.headers['sec-purpose'] ?? '')} ${String(req.headers['purpose'] ?? '')}`,
  );

const hasCookie = (cookies: string | undefined, name: string): boolean =>
  cookies !== undefined && cookies.split(/;\s*/).some((c) => c.startsWith(`${name}=`));

const surroundings = (deps: CaptureDeps, recorded: boolean) => ({
  findPlace: deps.findPlace,
  memory: deps.memory,
  newId: deps.newId,
  now: deps.now(),
  recorded,
});

function header(req: IncomingMessage, name: string): string | undefined {
  const value = req.headers[name];
  return Array.isArray(value) ? value[0] : value;
}
