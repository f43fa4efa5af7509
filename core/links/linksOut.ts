/** The links of a campaign as sources take them: whole, in two fields, or without what a place adds by itself. */
import type { LinkPlace, SourceInput } from '../contract/sources.ts';
import { splitLink } from './parts.ts';
import { decodePercent } from './query.ts';

type Parameters = Pick<SourceInput, 'parameters'>;

/** The parameter string that all links of a source share, with its macros raw; `place` leaves off what is not wanted there. */
export const linkParametersText = (source: Parameters, place?: LinkPlace): string =>
  source.parameters
    .filter((p) => place === undefined || !(p.leftOff ?? []).includes(place))
    .map((p) => `${p.parameter}=${p.macro}`)
    .join('&');

export const linkBase = (origin: string, campaignKey: string): string => `${origin}/v/${campaignKey}`;
/** Counts impressions; goes where a source takes an impression pixel, with the same parameters. */
export const impressionPixel = (origin: string, campaignKey: string, source: Parameters): string =>
  withQuery(`${origin}/seen/${campaignKey}`, linkParametersText(source));

export const withQuery = (base: string, query: string): string => (query === '' ? base : `${base}?${query}`);

/** The tracking link as it belongs in one place. */
export const linkFor = (origin: string, campaignKey: string, source: Parameters, place: LinkPlace): string =>
  withQuery(linkBase(origin, campaignKey), linkParametersText(source, place));

export interface Alteration {
  code: 'other_address' | 'missing' | 'altered' | 'encoded' | 'added';
  /** The parameter; empty for the address. */
  name: string;
  sentence: string;
}

/** What a source made of our link, as it shows it: addresses are compared without regard to case of the host. */
export function comparePasted(ours: string, pasted: string): Alteration[] {
  const [a, b] = [splitLink(ours.trim()), splitLink(pasted.trim())];
  const found: Alteration[] = [];
  if (plain(a.base) !== plain(b.base))
    found.push({
      code: 'other_address',
      name: '',
      sentence: `The pasted link starts with ${b.base || '(nothing)'} instead of ${a.base}.`,
    });
  const theirs = new Map((b.pairs ?? []).map((p) => [p.name, p.value]));
  for (const { name, value } of a.pairs ?? []) {
    const there = theirs.get(name);
    theirs.delete(name);
    if (there === value) continue;
    if (there === undefined)
      found.push({
        code: 'missing',
        name,
        sentence: `“${name}” is missing, so ${value} would not be filled.`,
      });
    else if (decodePercent(there) === value)
      found.push({
        code: 'encoded',
        name,
        sentence: `The macro of “${name}” was encoded as ${there}. The source may not fill it.`,
      });
    else
      found.push({
        code: 'altered',
        name,
        sentence: `“${name}” is ${there || '(nothing)'} instead of ${value}.`,
      });
  }
  for (const [name] of theirs)
    if (name !== '')
      found.push({ code: 'added', name, sentence: `“${name}” was added. Tracheon does not read it.` });
  return found;
}

const plain = (base: string): string =>
  base.replace(/^https?:\/\/[^/]*/i, (origin) => origin.toLowerCase()).replace(/\/$/, '');
