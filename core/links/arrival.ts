/**
 * Pages without redirects: the ad leads to the page itself, whose script registers the visit. The page's address names the
 * campaign and the page in one parameter, and carries the source's own parameters as they stand.
 */
import type { SourceInput } from '../contract/sources.ts';
import { fragmentStart, querySpan } from './compose.ts';
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
