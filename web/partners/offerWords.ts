/** How an offer and the way to it are told to a partner. */
import type { PromotedOffer } from '@tracheon/core/contract/partnerPage';
import { countryName, dayName } from '../ui/format.ts';

export function stateWords({ state, startsOn, endsOn }: PromotedOffer): string {
  if (state === 'not begun') return startsOn === '' ? 'Not live yet' : `Starts on ${dayName(startsOn)}`;
  if (state === 'live') return endsOn === '' ? 'Live' : `Live until ${dayName(endsOn)}`;
  if (state === 'paused') return 'Paused: visitors go to another page, and you are not paid for them';
  return endsOn === '' ? 'Ended' : `Ended on ${dayName(endsOn)}`;
}

export const mayPromote = ({ access }: Pick<PromotedOffer, 'access'>): boolean =>
  access === 'open' || access === 'approved';
export const mustAccept = (offer: PromotedOffer): boolean =>
  offer.terms !== '' && offer.termsAcceptedAt === null;

export function accessWords(offer: PromotedOffer): string {
  if (mayPromote(offer))
    return mustAccept(offer) ? 'Accept the terms to get your links' : 'You can promote it';
  return {
    none: 'Ask for it to get your links',
    asked: 'You asked for it and will get an answer here',
    refused: 'Your request was refused',
    ended: 'You can no longer promote it',
  }[offer.access as 'none' | 'asked' | 'refused' | 'ended'];
}

export const placeWords = ({ countries }: Pick<PromotedOffer, 'countries'>): string =>
  countries.length === 0 ? 'Any country' : countries.map(countryName).join(', ');

/** A link with the values of a partner's own parameters; empty ones are left out. */
export function withValues(link: string, values: readonly { parameter: string; value: string }[]): string {
  const hash = link.indexOf('#');
  const [base, fragment] = hash < 0 ? [link, ''] : [link.slice(0, hash), link.slice(hash)];
  const added = values
    .map(({ parameter, value }) => ({ parameter, value: tight(value.trim()) }))
    .filter(({ value }) => value !== '')
    // A traffic source's placeholder, such as {site} or [site], is filled in by that source and must stay as it stands.
    .map(
      ({ parameter, value }) => `&${parameter}=${isPlaceholder(value) ? value : encodeURIComponent(value)}`,
    );
  return base + added.join('') + fragment;
}
/** With a space in its marks no source would know its placeholder. */
const tight = (value: string): string =>
  value.replace(/^([[{$%#(]{1,2})\s*([\w.:-]{1,60})\s*([\]}$%#)]{1,2})$/, '$1$2$3');
const isPlaceholder = (value: string): boolean => /^[[{$%#(]{1,2}[\w.:-]{1,60}[\]}$%#)]{0,2}$/.test(value);
