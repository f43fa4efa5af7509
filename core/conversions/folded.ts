/** What a fold takes and gives (fold.ts). */
import type { ConversionStatus } from '../contract/index.ts';
import type { Micros } from '../money/index.ts';
import type { Transition } from './transition.ts';
import type { PartnerPayout, PartnerSide, PartnerTerms, Sale } from './partnerPayout.ts';

/** One stored, readable receipt of an owner and event type. */
export interface Signal {
  receiptId: string;
  receivedAt: number;
  changedTime: number | null;
  conversionTime: number | null;
  transaction: string;
  status: ConversionStatus;
  payout: Micros | null;
  currency: string | null;
  /** What the buyer paid; null where it is not told. */
  sale: Sale | null;
  /** A change by hand is made to the conversion of this receipt, and begins none; null for what a partner tells. */
  about: string | null;
  /** It decides on the partner's payout alone, and leaves the revenue; null for all others. It is about a conversion. */
  partnerSide: PartnerSide | null;
}

export interface FoldRules {
  repeats: boolean;
  payoutMeans: 'event' | 'total' | 'difference';
  /** Fixed amount (wins over what is reported), or what counts when nothing is reported; null: none. */
  fixedPayout: Micros | null;
  defaultPayout: Micros | null;
  currency: string;
  /** New conversions only: latest moment, in ms since 1970, at which one may arise. */
  windowEnd: number;
  /** What the partner who brought the conversions gets for each; null: nothing. */
  partner: PartnerTerms | null;
}

export type SignalVerdict =
  | 'accepted'
  | 'updated'
  | 'duplicate'
  | 'move_not_allowed'
  | 'outside_window'
  /** Without a transaction, where the owner has several conversions that it could mean. */
  | 'several_matches'
  /** What it was made to by hand is no longer there. */
  | 'nothing_to_change'
  /** The sum would be beyond what is booked. */
  | 'amount_too_large'
  /** A decision on the partner's payout. */
  | 'payout_reviewed'
  /** Nobody is paid for the conversion. */
  | 'no_partner_payout';

export interface FoldedConversion {
  ident: string;
  status: ConversionStatus;
  payout: Micros;
  currency: string;
  /** Gives the day and the rate, never the order. */
  convertedAt: number;
  /** The payout that the network sent with a rejection or a reversal. It counts in no sum. Null: it sent none. */
  noted: { payout: Micros; currency: string } | null;
  /** The payout of the partner who brought the conversion. Null if the conversion pays no partner. */
  partner: PartnerPayout | null;
  receiptIds: string[];
  transitions: Transition[];
  flags: string[];
}
export interface FoldedOwner {
  conversions: FoldedConversion[];
  verdicts: Map<string, { verdict: SignalVerdict; ident: string | null; notes: string[] }>;
}
