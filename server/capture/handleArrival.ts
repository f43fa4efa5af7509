/**
 * GET /arrive/<campaign key>/<page key>: a page's own script registers the visit, for sources that forbid redirects. The
 * query is that of the page's address. Answered only when the visit is durable, like a redirect: the click ID and the mark
 * that its buttons need. Any page may ask; a visit from another host than the page's is flagged.
 */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { ARRIVAL_REFERRER } from '@tracheon/core/links';
import { clientAddress } from '../addresses/addresses.ts';
import type { CompiledLanding } from '../snapshot/compiled.ts';
import { answer, ERROR_HEADER, refuse } from './answers.ts';
import { buildVisit } from './buildVisit.ts';
import {
  cookiesOf,
  handleOf,
  header,
  hostOf,
  keepVisit,
  refuseNoVisit,
  requestOf,
  strangerAt,
  surroundings,
  type CaptureDeps,
} from './handleVisit.ts';
import { campaignOnPage } from './onPage.ts';
import { CLICK_ID_PARAMETER, MARK_PARAMETER } from './visitHandles.ts';
import { MAX_REFERRER_LENGTH } from './visitor.ts';

/** Notes on the visit. */
const BY_SCRIPT = 'page_script';
const ON_ANOTHER_PAGE = 'other_page';

export async function handleArrival(
  deps: CaptureDeps,
  req: IncomingMessage,
  res: ServerResponse,
  keys: string,
  query: string,
): Promise<void> {
  for (const [name, value] of Object.entries(crossOrigin(req))) res.setHeader(name, value);
  if (refuseNoVisit(req, res)) return;
  const [key = '', pageKey = ''] = keys.split('/', 2);
  const address = clientAddress(req.socket.remoteAddress ?? '', header(req, 'x-forwarded-for'), deps.trusted);
  const campaign = deps.snapshot().campaigns.get(key);
  if (!campaign) {
    if (strangerAt(deps, address, key, hostOf(req), res)) return;
    return refuse(res, 'unknown_campaign_key');
  }
  const onPage = campaignOnPage(campaign, pageKey);
  const landing = onPage?.branches[0]!.pairings[0]!.landing;
  if (!onPage || !landing) return refuse(res, 'page_not_in_campaign');
  const told = tellsReferrer(query);
  const request = requestOf(deps, campaign, req, address, told.query);
  if ('refused' in request) return refuse(res, request.refused);
  request.referrer = told.referrer;

  const around = surroundings(deps, onPage, request.before, req);
  const { visit } = buildVisit(campaign, request, around);
  // The visitor is there already, whether an offer takes visitors now or not.
  [visit.landingId, visit.landingVersion] = [landing.part.id, landing.part.version];
  visit.notes = [...visit.notes, BY_SCRIPT, ...(isOfPage(req, landing) ? [] : [ON_ANOTHER_PAGE])];
  await keepVisit(deps, req, visit);
  const handle = handleOf(campaign, landing, visit);
  for (const cookie of cookiesOf(deps, campaign, req, visit, landing)) res.appendHeader('Set-Cookie', cookie);
  const text = JSON.stringify({
    [CLICK_ID_PARAMETER]: visit.id,
    [MARK_PARAMETER]: deps.handles.mark(handle),
  });
  answer(res, 200, text, { 'Content-Type': 'application/json; charset=utf-8' });
}

/** A page reads the answer, and its browser may send and keep our cookie (Fetch §3.2). */
function crossOrigin({ headers }: IncomingMessage): Record<string, string> {
  const { origin } = headers;
  return {
    Vary: 'Origin',
    'Cross-Origin-Resource-Policy': 'cross-origin',
    ...(origin === undefined
      ? {}
      : {
          'Access-Control-Allow-Origin': origin,
          'Access-Control-Allow-Credentials': 'true',
          'Access-Control-Expose-Headers': ERROR_HEADER,
        }),
  };
}

/** The script puts what it tells behind all of the page's own. */
const REFERRER = new RegExp(`(?:^|&)${ARRIVAL_REFERRER}=([^&]*)$`);
function tellsReferrer(query: string): { query: string; referrer: string | undefined } {
  const found = REFERRER.exec(query);
  if (!found) return { query, referrer: undefined };
  return {
    query: query.slice(0, found.index),
    referrer: decoded(found[1]!).slice(0, MAX_REFERRER_LENGTH) || undefined,
  };
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return '';
  }
}

const plainHost = (url: string): string => {
  try {
    return new URL(url).host.replace(/^www\./, '');
  } catch {
    return '';
  }
};
const isOfPage = ({ headers }: IncomingMessage, landing: CompiledLanding): boolean =>
  plainHost(headers.origin ?? headers.referer ?? '') === plainHost(landing.link.start);
