/** What visit tokens are filled from: the visit as it is stored, and the names of what it went through. */
import { formatAmount } from '../money/index.ts';
import { fieldByToken, type StoredVisit } from './columns.ts';

export interface PartNames {
  source: { id: string; name: string };
  network: { name: string };
  offer: { id: string; name: string };
  /** Empty name and ID for a direct link. */
  landing?: { part: { id: string; name: string } } | null;
  id: string;
  name: string;
  branchName: (branchId: string) => string;
}
/** What tokens are filled from: the stored visit, and the full agent as long as it is at hand. */
export type TokenVisit = StoredVisit & { userAgent: string };
/** Full agents lie apart and expire, so that a stored visit has none. */
export const tokenVisit = (visit: StoredVisit): TokenVisit => ({ ...visit, userAgent: '' });

/** Value of a visit token by name; undefined for what this visit does not know. */
export function visitToken(
  names: PartNames,
  visit: TokenVisit,
  referrer = '',
): (name: string) => string | number | undefined {
  return (name) => {
    if (name.startsWith('sub_'))
      return Object.hasOwn(visit.subs, name.slice(4)) ? visit.subs[name.slice(4)] : undefined;
    // The same sub-IDs, of a visit that a partner brought; of others there are none.
    if (name.startsWith('partner_sub_'))
      return visit.broughtBy !== '' && Object.hasOwn(visit.subs, name.slice(12))
        ? visit.subs[name.slice(12)]
        : undefined;
    switch (name) {
      case 'click_id':
        return visit.id;
      case 'source_id':
        return names.source.id;
      case 'source_name':
        return names.source.name;
      case 'network_name':
        return names.network.name || undefined;
      case 'campaign_id':
        return names.id;
      case 'campaign_name':
        return names.name;
      case 'branch_name':
        return names.branchName(visit.branchId);
      case 'offer_id':
        return names.offer.id || undefined;
      case 'offer_name':
        return names.offer.name || undefined;
      case 'landing_id':
        return names.landing?.part.id;
      case 'landing_name':
        return names.landing?.part.name;
      case 'user_agent':
        return visit.userAgent || undefined;
      case 'referrer':
        return referrer || undefined;
      case 'visit_time':
        return new Date(visit.atMs).toISOString();
      case 'visit_unix':
        return Math.floor(visit.atMs / 1000);
      case 'cost':
        return visit.costMicros === null ? undefined : formatAmount(visit.costMicros);
      // The click ID's random half: fixed with the visit, unguessable, different each time.
      case 'nonce':
        return visit.id.slice(10);
      default:
        return plainToken(visit, name);
    }
  };
}

/** Of tokens that carry a column as it stands. */
function plainToken(visit: StoredVisit, name: string): string | undefined {
  const field = fieldByToken.get(name);
  return field === undefined ? undefined : (visit[field] as string) || undefined;
}
