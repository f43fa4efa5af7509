/** The link that a partner sends visitors to: a campaign's, with the partner's ID. */
import { PARTNER_PARAMETER } from '../contract/partners.ts';
import { fragmentStart } from './compose.ts';

/** `link` as the campaign's ads have it; a fragment stays at the end. Empty for an empty link. */
export function partnerLink(link: string, partnerId: string): string {
  if (link === '') return '';
  const hash = fragmentStart(link);
  const base = link.slice(0, hash);
  const joint = base.includes('?') ? (/[?&]$/.test(base) ? '' : '&') : '?';
  return `${base}${joint}${PARTNER_PARAMETER}=${partnerId}${link.slice(hash)}`;
}
