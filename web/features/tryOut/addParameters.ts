/** A link with parameters put in, encoded for a query; one that it has already is set, in its place. */
import { splitLink, withPair, type ReadParameter } from '@tracheon/core/links';
import { findMacros } from '@tracheon/core/tokens';

/** Empty while there is no link, or nothing to put in. */
export function addParameters(link: string, parameters: readonly ReadParameter[]): string {
  if (parameters.length === 0 || !/^https?:\/\//i.test(link)) return '';
  return parameters.reduce((now, p) => {
    const pairs = splitLink(now).pairs ?? [];
    const there = pairs.findIndex((q) => q.name === p.name);
    return withPair(now, there < 0 ? pairs.length : there, encodeURIComponent(p.name), encodeValue(p.value));
  }, link);
}

/** Placeholders stay as they are; whoever fills them looks for them to the letter. */
function encodeValue(value: string): string {
  let out = '';
  let at = 0;
  for (const m of findMacros(value)) {
    out += encodeURIComponent(value.slice(at, m.start)) + m.text;
    at = m.end;
  }
  return out + encodeURIComponent(value.slice(at).toWellFormed());
}
