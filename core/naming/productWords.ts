/** What an offer link says of the product and the country: a guess to begin a name with, never more. */
import { decodePercent, linkParameters, splitLink } from '../links/index.ts';

/** Parts of a path or values that say how a link works, not what it sells. */
const PLUMBING =
  /^(o|c|go|click|clicks|track|tracking|offer|offers|aff|affiliate|affiliates|r|redirect|redir|out|link|lp|l|index|home|www|en|nl|fr|de|pt|da|ja|html?|php|aspx?|v\d+)$/i;
const NAMING_PARAMETER = /^(offer|product|item|campaign|camp|name|title|slug|prod)([_-]?name)?$/i;
const COUNTRY_PARAMETER = /^(geo|country|cc|country_code|region|market)$/i;

/** Words such as “terrarium box”; empty when the link holds numbers and codes only. */
export function productWords(link: string): string {
  const named = linkParameters(link).find((p) => NAMING_PARAMETER.test(p.name) && isWords(p.value));
  if (named) return asWords(named.value);
  const path = splitLink(link).base.replace(/^[a-z]+:\/\/[^/]*/i, '');
  const segment = path.split('/').findLast((s) => isWords(s.replace(/\.\w{2,5}$/, '')));
  return segment === undefined ? '' : asWords(segment.replace(/\.\w{2,5}$/, ''));
}

/** A country named by a parameter, or by a part of the path, such as /nl/; empty for none. */
export function countryOf(link: string, known: ReadonlySet<string>): string {
  const fits = (text: string): string => (known.has(text.toUpperCase()) ? text.toUpperCase() : '');
  for (const p of linkParameters(link))
    if (COUNTRY_PARAMETER.test(p.name) && fits(p.value) !== '') return fits(p.value);
  const path = splitLink(link).base.replace(/^[a-z]+:\/\/[^/]*/i, '');
  for (const segment of path.split('/'))
    if (/^[A-Za-z]{2}$/.test(segment) && fits(segment) !== '') return fits(segment);
  return '';
}

/** Letters with perhaps a number among them, no code: at least four letters, more letters than digits, a vowel. */
function isWords(text: string): boolean {
  const plain = decodePercent(text);
  const letters = plain.replace(/[^\p{L}]/gu, '').length;
  const digits = plain.replace(/\D/g, '').length;
  return (
    !/[{}[\]<>#%$|]/.test(plain) &&
    letters >= 4 &&
    letters > digits * 2 &&
    /[aeiouyàâäéèêëíïóôöúûüåæø\u3040-\u9fff]/i.test(plain) &&
    !PLUMBING.test(plain) &&
    plain.length <= 60
  );
}

const asWords = (text: string): string => {
  const words = decodePercent(text)
    .replace(/[-_+.]+/g, ' ')
    .replace(/\s+/g, ' ')
    .trim();
  return words.charAt(0).toUpperCase() + words.slice(1);
};
