/**
 * GET /v/<campaign key>: commit, then answer. A visit is durable before its redirect is answered; when the database
 * does not take it within COMMIT_PATIENCE_MS the visitor goes on all the same, and the visit is counted as unrecorded.
 */
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { EventWriter } from '../events/eventWriter.ts';
import type { VisitRecord } from '../events/rows.ts';
import { clientAddress, type Ranges } from './addresses.ts';
import { answer, refuse } from './answers.ts';
import { buildVisit, destination } from './buildVisit.ts';
import type { Snapshot } from './snapshot.ts';
import type { Memory } from './uniqueness.ts';
import type { FindPlace } from './visitor.ts';

/** The visitor waits no longer than this for the database. */
export const COMMIT_PATIENCE_MS = 150;
const COOKIE_SECONDS = 24 * 3600;

export interface CaptureDeps {
  snapshot: () => Snapshot;
  writer: Pick<EventWriter<VisitRecord>, 'submit'>;
  memory: Memory;
  findPlace: FindPlace;
  trusted: Ranges;
  secureCookies: boolean;
  newId: (nowMs: number) => string;
  now: () => number;
  onRecorded: (visit: VisitRecord) => void;
  onUnrecorded: (visit: VisitRecord, why: unknown) => void;
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
  const purpose = `${String(req.headers['sec-purpose'] ?? '')} ${String(req.headers['purpose'] ?? '')}`;
  if (/prefetch|prerender|preview/i.test(purpose)) return refuse(res, 'not_a_visit');
  if (req.method !== 'GET' && req.method !== 'HEAD')
    return refuse(res, 'method_not_allowed', { Allow: 'GET, HEAD' });

  const address = clientAddress(req.socket.remoteAddress ?? '', header(req, 'x-forwarded-for'), deps.trusted);
  const campaign = deps.snapshot().campaigns.get(key);
  if (!campaign) {
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
    hasCookie: (req.headers.cookie ?? '').split(/;\s*/).some((c) => c.startsWith(`${cookie}=`)),
  };
  const visit = buildVisit(campaign, request, surroundings(deps, req.method === 'GET'));
  const url = campaign.sending ? destination(campaign, visit, referrer) : null;
  // HEAD is answered alike and recorded nowhere.
  if (req.method === 'GET') await record(deps, visit);
  if (url === null) return refuse(res, 'campaign_stopped');
  const flags = `Path=/; Max-Age=${COOKIE_SECONDS}; HttpOnly; SameSite=${deps.secureCookies ? 'None; Secure' : 'Lax'}`;
  answer(res, 302, '', { Location: url, 'Set-Cookie': `${cookie}=1; ${flags}` });
}

const surroundings = (deps: CaptureDeps, recorded: boolean) => ({
  findPlace: deps.findPlace,
  memory: deps.memory,
  newId: deps.newId,
  now: deps.now(),
  recorded,
});

async function record(deps: CaptureDeps, visit: VisitRecord): Promise<void> {
  let timer: NodeJS.Timeout | undefined;
  const patience = new Promise<void>((resolve) => (timer = setTimeout(resolve, COMMIT_PATIENCE_MS)));
  // Settled by the writer alone, also after the visitor has gone on: late is recorded, not lost.
  const written = deps.writer.submit(visit).then(
    () => deps.onRecorded(visit),
    (error: unknown) => deps.onUnrecorded(visit, error),
  );
  await Promise.race([written, patience]).finally(() => clearTimeout(timer));
}

function header(req: IncomingMessage, name: string): string | undefined {
  const value = req.headers[name];
  return Array.isArray(value) ? value[0] : value;
}
