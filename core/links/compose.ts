/**
 * Links put together from Parts. In links that *they* expand (tracking link, postback URL handed over) their macros
 * stay raw to the byte; in links that *we* expand (offer, postback to a source) our tokens stay readable.
 */
import { postbackFields, type PostbackField, type NetworkInput } from '../contract/networks.ts';
import type { SourceInput } from '../contract/sources.ts';

/** The tracking link to paste into the source, with its macros raw. */
export function trackingLink(origin: string, campaignKey: string, source: SourceInput): string {
  const query = source.parameters.map((p) => `${p.parameter}=${p.macro}`).join('&');
  return `${origin}/v/${campaignKey}${query === '' ? '' : `?${query}`}`;
}

/** A link with our click ID and, by the network's own parameters, whatever else it takes from us. */
export function outgoingLink(
  link: string,
  network: Pick<NetworkInput, 'clickIdParameter' | 'subParameters'>,
): string {
  let now = withClickId(link, network.clickIdParameter);
  for (const { parameter, token, limit } of network.subParameters ?? []) {
    if (token === '' || linkParameters(now).some((p) => p.name === parameter)) continue;
    now = withParameter(now, parameter, `{${token}${limit > 0 ? `:${limit}` : ''}}`);
  }
  return now;
}

/** A landing page's address: the click ID is always in it under the name that the page's script knows. */
export function pageLink(url: string): string {
  const there = linkParameters(url).find((p) => p.name === PAGE_CLICK_ID);
  return there && carriesClickId(there.value) ? url : withParameter(url, PAGE_CLICK_ID, '{click_id}');
}
const PAGE_CLICK_ID = 'click_id';

/** What a button of a landing page must lead to. */
export const buttonLink = (origin: string, landingKey: string, n: number): string =>
  `${origin}/b/${landingKey}/${n}`;

/** For the page's head: puts each visitor's click ID into the button links. */
export const pageScriptTag = (origin: string): string => `<script src="${origin}/page.js" defer></script>`;

/** The parameter under which a network sends a field: its own name, or ours. */
export function wireName(network: Pick<NetworkInput, 'fields'>, field: PostbackField): string {
  return network.fields[field].parameter || field;
}

/** It can't store our click ID, and names its partner instead. */
export const isByPartner = ({ fields }: Pick<NetworkInput, 'fields'>): boolean =>
  fields.click_id.macro === '' && fields.partner_id.macro !== '';

/** The postback URL to hand over to a network, with its macros raw; fields without a macro are left out. */
export function postbackUrl(origin: string, intakeKey: string, network: NetworkInput): string {
  const query = postbackFields
    .filter((f) => network.fields[f].macro !== '' || (f === 'click_id' && !isByPartner(network)))
    .map((f) => `${wireName(network, f)}=${network.fields[f].macro}`);
  for (const x of network.extras ?? []) if (x.macro !== '') query.push(`${extraWireName(x)}=${x.macro}`);
  return `${origin}/in/${intakeKey}?${query.join('&')}`;
}

/** The parameter under which an extra reaches us. */
export const extraWireName = (extra: NetworkInput['extras'][number]): string =>
  extra.parameter || `x_${extra.name}`;

/** Start and end of the query in a link text, without `?`, before any fragment; null when it has none. `{?a}` begins one too. */
export function querySpan(link: string): { start: number; end: number } | null {
  const hash = fragmentStart(link);
  const at = link.indexOf('?');
  if (at < 0 || at > hash) return null;
  return { start: link[at - 1] === '{' ? at - 1 : at + 1, end: hash };
}

/** Where the fragment begins; `#` inside a `#macro#` or a `{#token}` does not begin one. */
export function fragmentStart(link: string): number {
  for (const match of link.matchAll(/##?[A-Za-z][\w.-]*##?|\{#|#/g)) if (match[0] === '#') return match.index;
  return link.length;
}

const hostOf = (address: string): string => {
  try {
    return new URL(address).host;
  } catch {
    return '';
  }
};

/** True when a link leads to one of our tracking domains, over http or https: either way the visitor would loop. */
export function isOurs(link: string, ownOrigins: readonly string[]): boolean {
  const host = hostOf(/^https?:\/\/[^/?#\s]+/i.exec(link)?.[0] ?? '');
  return host !== '' && ownOrigins.some((own) => hostOf(own) === host);
}

export interface LinkParameter {
  name: string;
  value: string;
  start: number;
  end: number;
}

/** Characters of our click ID. */
export const CLICK_ID_LENGTH = 26;

/** An expression that writes parameters, or what stands between two `&`. */
const PIECE = /\{[?&][^{}]*\}|(?:(?!\{[?&])[^&])+/g;

/** Parameters of a link's query as they stand, undecoded; those of `{?a,b}` and `{&a}` each with its token as value. */
export function linkParameters(link: string): LinkParameter[] {
  const span = querySpan(link);
  if (span === null) return [];
  const found: LinkParameter[] = [];
  for (const { 0: piece, index } of link.slice(span.start, span.end).matchAll(PIECE)) {
    const place = { start: span.start + index, end: span.start + index + piece.length };
    const written = /^\{[?&](.*)\}$/.exec(piece)?.[1];
    if (written !== undefined) {
      for (const spec of written.split(',')) {
        const name = spec.replace(/(?::\d+|\*)$/, '');
        found.push({ name, value: `{${name}}`, ...place });
      }
      continue;
    }
    const at = piece.indexOf('=');
    found.push({
      name: at < 0 ? piece : piece.slice(0, at),
      value: at < 0 ? '' : piece.slice(at + 1),
      ...place,
    });
  }
  return found;
}

// A prefix shorter than the ID leaves something that no visit can be found by.
const CLICK_ID_TOKEN =
  /\{[+#./;?&]?(?:[^{}]*,)?click_id(?:_enc)?(?::(?:2[6-9]|[3-9]\d|\d{3,4})|\*)?(?:,[^{}]*)?\}/;

/** True when a template hands our click ID on. */
export const carriesClickId = (template: string): boolean => CLICK_ID_TOKEN.test(template);

/**
 * The offer link with our click ID under the network's parameter. Untouched when the link carries it already; a
 * parameter of that name with another value is replaced (a placeholder pasted along), else it is added.
 */
export function withClickId(link: string, parameter: string): string {
  if (parameter === '' || carriesClickId(link)) return link;
  const there = linkParameters(link).find((p) => p.name === parameter);
  if (there) return `${link.slice(0, there.start)}${parameter}={click_id}${link.slice(there.end)}`;
  return withParameter(link, parameter, '{click_id}');
}

/** The link with a parameter added at the end of its query. */
function withParameter(link: string, parameter: string, value: string): string {
  const span = querySpan(link);
  if (span === null) {
    const hash = fragmentStart(link);
    return `${link.slice(0, hash)}?${parameter}=${value}${link.slice(hash)}`;
  }
  const joint = span.end === span.start || link[span.end - 1] === '&' ? '' : '&';
  return `${link.slice(0, span.end)}${joint}${parameter}=${value}${link.slice(span.end)}`;
}
