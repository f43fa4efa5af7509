/**
 * What a partner is paid for a conversion: a second fold over the same receipts, those of the advertiser and those of the
 * review. It starts from the whole stored set each time, so that the fold's law holds for it as well.
 *
 * The advertiser's word bounds it: what the advertiser takes back is paid to nobody. Within that, a decision of a member goes
 * before the rule of the offer. Rejecting a payout leaves the revenue as it is.
 */
import {
  isTakenBack,
  WHOLE_PERCENT,
  type ConversionStatus,
  type OfferInput,
  type PartnerAmount,
  type PayoutApproval,
} from '../contract/index.ts';
import { divideRounded, type Micros } from '../money/index.ts';
import type { Transition } from './transition.ts';

export interface PartnerTerms {
  /** `share`: of the revenue, or of what the buyer paid; in micro-units of a percent. */
  pays: { fixed: Micros; currency: string } | { share: bigint; of: 'revenue' | 'sale' };
  approval: PayoutApproval;
  /** `days`: after so many a payout that still waits is approved. */
  afterMs: number;
}

/** A receipt of the review: a member's decision, or the day on which a payout that waits is approved. */
export const partnerSides = ['review', 'due'] as const;
export type PartnerSide = (typeof partnerSides)[number];

export interface PartnerPayout {
  status: ConversionStatus;
  /** What it is about, also where it is paid to nobody. */
  amount: Micros;
  currency: string;
  /** When it is approved if nothing happens until then, in ms since 1970; null: never by itself. */
  dueAt: number | null;
  /** What it has been so far, as partners are told of it. */
  changes: PartnerChange[];
}

/** Partners are told three statuses: whoever takes a conversion back, and how, is the desk's business. */
export type PartnerChange = Transition;
const told = (status: ConversionStatus): ConversionStatus => (isTakenBack(status) ? 'rejected' : status);

const DAY_MS = 86_400_000;

/** Of an event type: a partner's row in the country goes before the partner's, then the country's, then the plain amount. */
export function partnerTerms(
  offer: Pick<OfferInput, 'partnerPayouts' | 'currency'>,
  of: { eventTypeId: string; partnerId: string; country: string },
): PartnerTerms | null {
  const payable = offer.partnerPayouts.find((p) => p.eventTypeId === of.eventTypeId);
  if (of.partnerId === '' || !payable) return null;
  const rank = (e: { partnerId: string; country: string }): number =>
    (e.partnerId === '' ? 0 : 2) + (e.country === '' ? 0 : 1);
  const [best] = payable.exceptions
    .filter(
      (e) =>
        (e.partnerId === '' || e.partnerId === of.partnerId) &&
        (e.country === '' || e.country === of.country),
    )
    .sort((a, b) => rank(b) - rank(a));
  return {
    pays: paysOf(best ?? payable, offer.currency),
    approval: payable.approval,
    afterMs: payable.afterDays * DAY_MS,
  };
}
const paysOf = ({ pays, amountMicros, percent }: PartnerAmount, currency: string): PartnerTerms['pays'] =>
  pays === 'fixed'
    ? { fixed: BigInt(amountMicros), currency }
    : { share: BigInt(percent), of: pays === 'sale' ? 'sale' : 'revenue' };

/** What the buyer paid, as the advertiser tells it; without a currency it is in that of the revenue. */
export interface Sale {
  amount: Micros;
  currency: string | null;
}

/** What the advertiser has told of the conversion so far. */
interface Revenue {
  status: ConversionStatus;
  payout: Micros;
  currency: string;
}
type Decision = 'approved' | 'rejected' | 'held';
const decisionOf = (status: ConversionStatus): Decision =>
  status === 'pending'
    ? 'held'
    : isTakenBack(status)
      ? 'rejected'
      : status === 'approved'
        ? 'approved'
        : 'held';

/** Folds one conversion's payout; its receipts are given in the order of the fold. */
export class PartnerFold {
  private revenue: Revenue | null = null;
  private decision: Decision | null = null;
  private isDue = false;
  private sold: Sale | null = null;
  private since = 0;
  private readonly changes: PartnerChange[] = [];

  constructor(private readonly terms: PartnerTerms) {}

  /** The advertiser's receipt changed the conversion. */
  advertiser(revenue: Revenue, at: number): void {
    if (this.revenue === null) this.since = at;
    this.revenue = revenue;
  }

  /** The last one counts. */
  sale(sale: Sale): void {
    this.sold = sale;
  }

  /** It is paid by the sale, and nobody told any. */
  get isSaleMissing(): boolean {
    const { pays } = this.terms;
    return 'share' in pays && pays.of === 'sale' && this.sold === null;
  }

  /** Returns whether the receipt changed anything. */
  review(side: PartnerSide, status: ConversionStatus): boolean {
    if (side === 'due') {
      if (this.isDue || this.decision !== null || this.status !== 'pending') return false;
      this.isDue = true;
      return true;
    }
    const decision = decisionOf(status);
    const isNew = decision !== this.decision;
    this.decision = decision;
    return isNew;
  }

  /** After a receipt that may have changed something, at its moment in the order of the fold. */
  note(receiptId: string, at: number): void {
    if (this.revenue === null) return;
    const last = this.changes.at(-1);
    const status = told(this.status);
    const { amount, currency } = this.amount();
    if (last?.status === status && last.payout === amount && last.currency === currency) return;
    this.changes.push({ receiptId, at, status, before: last?.status ?? null, payout: amount, currency });
  }

  private get status(): ConversionStatus {
    const told = this.revenue!.status;
    if (isTakenBack(told)) return told;
    if (this.decision !== null) return this.decision === 'held' ? 'pending' : this.decision;
    if (this.terms.approval === 'advertiser') return told;
    return this.isDue ? 'approved' : 'pending';
  }

  private amount(): { amount: Micros; currency: string } {
    const { pays } = this.terms;
    if ('fixed' in pays) return { amount: pays.fixed, currency: pays.currency };
    const { payout, currency } = this.revenue!;
    // Without a sale nothing is owed yet; the conversion is flagged.
    const of = pays.of === 'revenue' ? { amount: payout, currency } : (this.sold ?? { amount: 0n, currency });
    return {
      amount: divideRounded(of.amount * pays.share, BigInt(WHOLE_PERCENT)),
      currency: of.currency ?? currency,
    };
  }

  /** `convertedAt` in ms since 1970: from then on the days are counted. */
  end(convertedAt: number): PartnerPayout {
    const { status, terms, decision } = this;
    const waits = terms.approval === 'days' && status === 'pending' && decision === null;
    return {
      status,
      ...this.amount(),
      // Never before its first receipt: what is due comes after what it is about.
      dueAt: waits ? Math.max(convertedAt + terms.afterMs, this.since) : null,
      changes: this.changes,
    };
  }
}
