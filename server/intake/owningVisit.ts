/** What owns a conversion. */
import type { OfferInput } from '@tracheon/core/contract';
import type { OfferClick } from '@tracheon/core/conversions';
import type { StoredVisit } from '@tracheon/core/visits';

/**
 * The visit that owns a conversion, and what its offer says of conversions today. Where there is none, what stands for it (see
 * otherOwners.ts): a click ID that was carried over, or a partner's transaction; its `id` is then no click ID of ours.
 */
export interface OwningVisit extends StoredVisit {
  ownedBy: 'visit' | 'carried' | 'partner';
  /** The click ID that the conversion shows; empty for a partner. */
  shownClickId: string;
  /** The network's ID of the partner; else empty. */
  partnerId: string;
  /** The source is told of this test, as a member ticked. */
  isReportedTest: boolean;
  /** null for an offer saved before there was a choice, and for no offer. */
  conversionsFrom: OfferInput['conversionsFrom'] | null;
  /** The first click of each button that has an offer of its own, oldest first; empty where all lead to the visit's offer. */
  clicked: OfferOfClick[];
}
/** What the visit would carry, had it been sent to the button's offer straight away. */
export interface OfferOfClick
  extends OfferClick, Pick<OwningVisit, 'offerId' | 'offerVersion' | 'networkId' | 'conversionsFrom'> {}

export interface VisitName {
  deskId: string;
  /** Of a visit; or what stands for it. */
  clickId: string;
}
