/**
 * Pages without redirects: the ad leads to the page itself, whose script registers the visit. The page's address names the
 * campaign and the page in one parameter, and carries the source's own parameters as they stand.
 */
import type { SourceInput } from '../contract/sources.ts';
import type { CampaignInput } from '../contract/campaigns.ts';
import { landingPagesOf } from '../routing/index.ts';
import { fragmentStart, querySpan, trackingLink } from './compose.ts';
import { linkParametersText } from './linksOut.ts';

/** `<campaign key>.<page key>`; the script takes it off what it passes on. */
export const ARRIVAL_PARAMETER = '_v';
/** Where the script registers visits: `<origin>/arrive/<campaign key>/<page key>`. */
export const ARRIVAL_PATH = '/arrive/';
/** What the visitor came from, as the page's script tells it; the last parameter of its request. */
export const ARRIVAL_REFERRER = '_r';

/**
 * The ad's destination: the page with the source's parameters, their macros raw. Parameters of the page with tokens of ours
 * are left off: no redirect fills them. A fragment stays at the end.
 */
export function pageVisitLink(
  pageUrl: string,
  keys: { campaign: string; page: string },
  source: Pick<SourceInput, 'parameters'>,
): string {
  const hash = fragmentStart(pageUrl);
  const span = querySpan(pageUrl);
  const base = pageUrl.slice(0, span ? span.start : hash).replace(/\?$/, '');
  const own = (span ? pageUrl.slice(span.start, span.end) : '')
    .split('&')
    .filter((pair) => pair !== '' && !/[{}]/.test(pair));
  const query = [...own, `${ARRIVAL_PARAMETER}=${keys.campaign}.${keys.page}`, linkParametersText(source)];
  return `${base.replace(/\{[^}]*\}/g, '')}?${query.filter((part) => part !== '').join('&')}${pageUrl.slice(hash)}`;
}

/**
 * What a campaign's ads lead to: the tracking link; or, at a source that allows no redirects, the first landing page itself.
 * Without a page such a campaign has the tracking link still, and its trail says what is missing.
 */
export function adLink(
  origin: string,
  campaign: { key: string; body: Pick<CampaignInput, 'offerId' | 'landingPageId' | 'routing'> },
  source: SourceInput,
  pageOf: (id: string) => { key: string; body: { url: string } } | undefined,
): string {
  const page = source.allowsRedirects ? undefined : pageOf(landingPagesOf(campaign.body)[0] ?? '');
  return page
    ? pageVisitLink(page.body.url, { campaign: campaign.key, page: page.key }, source)
    : trackingLink(origin, campaign.key, source);
}
