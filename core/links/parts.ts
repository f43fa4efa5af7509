/**
 * A link as structure: base, parameters, fragment, for editing beside the text. Whatever is not touched stays byte for
 * byte, doubled & and missing = included: joining what was split gives the same text.
 */
import { fragmentStart, querySpan } from './compose.ts';

export interface LinkPair {
  name: string;
  value: string;
  /** False for a name that stands without `=`. */
  hasEquals: boolean;
}
export interface LinkParts {
  /** Scheme, host and path. */
  base: string;
  /** null when there is no `?`; an empty name and value without `=` stands for nothing between two &. */
  pairs: LinkPair[] | null;
  /** With its `#`, or empty. */
  fragment: string;
}

export function splitLink(link: string): LinkParts {
  const whole = querySpan(link);
  // A query that an expression begins, `{?a,b}`, is not written as pairs: it stays as it stands.
  const span = whole !== null && link[whole.start - 1] === '?' ? whole : null;
  if (span === null) {
    const at = fragmentStart(link);
    return { base: link.slice(0, at), pairs: null, fragment: link.slice(at) };
  }
  const pairs = link
    .slice(span.start, span.end)
    .split('&')
    .map((pair) => {
      const at = pair.indexOf('=');
      return at < 0
        ? { name: pair, value: '', hasEquals: false }
        : { name: pair.slice(0, at), value: pair.slice(at + 1), hasEquals: true };
    });
  return { base: link.slice(0, span.start - 1), pairs, fragment: link.slice(span.end) };
}

export const joinLink = ({ base, pairs, fragment }: LinkParts): string =>
  base +
  (pairs === null ? '' : `?${pairs.map((p) => (p.hasEquals ? `${p.name}=${p.value}` : p.name)).join('&')}`) +
  fragment;

/** With one parameter changed; an index behind the last one adds it. */
export function withPair(link: string, index: number, name: string, value: string): string {
  const parts = splitLink(link);
  const pairs = [...(parts.pairs ?? [])];
  pairs[Math.min(index, pairs.length)] = { name, value, hasEquals: true };
  return joinLink({ ...parts, pairs });
}

export function withoutPair(link: string, index: number): string {
  const parts = splitLink(link);
  const pairs = (parts.pairs ?? []).filter((_, i) => i !== index);
  return joinLink({ ...parts, pairs: pairs.length === 0 ? null : pairs });
}
