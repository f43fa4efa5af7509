/** How statements and payments are told on the screens, and as files. */
import type { BillingLine, BillingSide, Payment, PaymentState } from '@tracheon/core/contract';
import { formatAmount } from '@tracheon/core/money';
import type { Column } from '../../ui/tableColumns.ts';

export const sideWords: Record<BillingSide, { party: string; paid: string; says: string }> = {
  partner: {
    party: 'Partner',
    paid: 'To pay',
    says: 'What partners earned, by statement, and the payments to them.',
  },
  advertiser: {
    party: 'Advertiser',
    paid: 'To bill',
    says: 'What advertisers and networks owe you for approved conversions, by statement.',
  },
};
export const sides = (Object.keys(sideWords) as BillingSide[]).map((value) => ({
  value,
  label: `${sideWords[value].party}s`,
}));

/** What a payment can do next, and the words for its button; the last one of each is the way back. */
export const paymentSteps: Record<PaymentState, readonly { to: PaymentState; label: string }[]> = {
  open: [
    { to: 'approved', label: 'Approve' },
    { to: 'dissolved', label: 'Dissolve' },
  ],
  approved: [
    { to: 'paid', label: 'Mark as paid' },
    { to: 'open', label: 'Undo approval' },
  ],
  paid: [{ to: 'approved', label: 'Undo payment' }],
  dissolved: [],
};

const plain = (micros: string): string => formatAmount(BigInt(micros));
export const lineColumns = (currency: string): Column<BillingLine>[] => [
  { key: 'at', label: 'Converted', csv: (r) => r.at ?? '' },
  { key: 'offer', label: 'Offer', csv: (r) => r.offerName },
  { key: 'event', label: 'Event', csv: (r) => r.eventName },
  { key: 'transaction', label: 'Transaction', csv: (r) => r.transaction },
  { key: 'click', label: 'Click ID', csv: (r) => r.clickId },
  { key: 'status', label: 'Status now', csv: (r) => r.status },
  { key: 'kind', label: 'Kind', csv: (r) => kindOf(r) },
  { key: 'amount', label: `Amount, ${currency}`, num: true, csv: (r) => plain(r.micros) },
];
export const kindOf = ({ isAdjustment }: Pick<BillingLine, 'isAdjustment'>): string =>
  isAdjustment ? 'adjustment' : 'conversion';

/** For whoever pays: one row for each statement of the payment. */
export const paymentColumns: Column<Payment['rows'][number]>[] = [
  { key: 'partner', label: 'Partner', csv: (r) => r.partyName },
  { key: 'email', label: 'E-mail', csv: (r) => r.email },
  { key: 'billTo', label: 'Billing details', csv: (r) => r.billTo },
  { key: 'number', label: 'Statement', csv: (r) => r.number },
  { key: 'currency', label: 'Currency', csv: (r) => r.currency },
  { key: 'amount', label: 'Amount', csv: (r) => plain(r.paidMicros) },
];
