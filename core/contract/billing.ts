/** Statements to partners and to advertisers: entries of the ledger, frozen; and the payments to partners. */
import { z } from 'zod';
import { type Endpoint } from './endpoint.ts';
import { currencyCode, isoTime, microsText, recordId } from './primitives.ts';
import { pageOf } from './signals.ts';

/** What a partner is owed; what an advertiser owes. */
export const billingSides = ['partner', 'advertiser'] as const;
export type BillingSide = (typeof billingSides)[number];
export const billingSide = z.enum(billingSides);

const party = { partyId: recordId, partyName: z.string(), currency: z.string() };

/** What no statement holds yet, of one party in one currency. */
export const billingOpen = z.object({
  /** Of both. */
  id: z.string(),
  ...party,
  /** Conversions with entries that no statement holds. */
  conversions: z.int(),
  /** Of those entries. */
  openMicros: microsText,
  /** Of `openMicros`, what a statement of now would take. */
  payableMicros: microsText,
  /** Pending: not decided yet. */
  onHoldMicros: microsText,
  /** The rest of the last statement. */
  carriedMicros: microsText,
});
export type BillingOpen = z.infer<typeof billingOpen>;

export const billingStates = ['issued', 'paid', 'void'] as const;
export const billingStatement = z.object({
  id: recordId,
  /** Counts up within the desk and side; for people and papers. */
  number: z.int(),
  side: billingSide,
  ...party,
  /** Entries booked before it; those of the last statement left out. */
  until: isoTime,
  /** Sum of its entries. */
  totalMicros: microsText,
  carriedInMicros: microsText,
  /** What is paid, or billed: rounded down to the currency's digits. */
  paidMicros: microsText,
  carriedOutMicros: microsText,
  conversions: z.int(),
  /** Of the entries, those of conversions that an earlier statement has: adjustments. */
  adjustments: z.int(),
  adjustmentMicros: microsText,
  state: z.enum(billingStates),
  issuedAt: isoTime,
  issuedBy: z.string(),
  /** The payment that it is in; empty for none. */
  paymentId: z.string(),
  voidReason: z.string(),
});
export type BillingStatement = z.infer<typeof billingStatement>;

/** What a statement holds of one conversion. */
export const billingLine = z.object({
  id: recordId,
  at: isoTime.nullable(),
  offerName: z.string(),
  eventName: z.string(),
  transaction: z.string(),
  clickId: z.string(),
  /** As it is now. */
  status: z.string(),
  micros: microsText,
  /** An earlier statement has the conversion. */
  isAdjustment: z.boolean(),
});
export type BillingLine = z.infer<typeof billingLine>;

export const issueStatement = z.object({
  side: billingSide,
  partyId: recordId,
  currency: currencyCode,
  /** Entries that were booked before it; empty: all until now. */
  until: z.union([z.literal(''), isoTime]).default(''),
});

/** `open`: statements can be taken out of it by dissolving it; `approved`: somebody says that it may be paid. */
export const paymentStates = ['open', 'approved', 'paid', 'dissolved'] as const;
export type PaymentState = (typeof paymentStates)[number];
/** Where a payment goes from each state; back is the undoing. */
export const paymentMoves: Record<PaymentState, readonly PaymentState[]> = {
  open: ['approved', 'dissolved'],
  approved: ['paid', 'open'],
  paid: ['approved'],
  dissolved: [],
};
export const payment = z.object({
  id: recordId,
  number: z.int(),
  state: z.enum(paymentStates),
  madeAt: isoTime,
  madeBy: z.string(),
  movedAt: isoTime,
  movedBy: z.string(),
  sums: z.array(z.object({ currency: z.string(), micros: microsText })),
  /** Who is paid. */
  rows: z.array(
    z.object({
      statementId: recordId,
      number: z.int(),
      partyName: z.string(),
      email: z.string(),
      /** Billing details of the partner. */
      billTo: z.string(),
      currency: z.string(),
      paidMicros: microsText,
    }),
  ),
});
export type Payment = z.infer<typeof payment>;

export const MAX_PAYMENT_STATEMENTS = 500;

export const billingEndpoints = {
  billingOpen: {
    method: 'get',
    path: '/billing/open',
    group: 'Money',
    summary: 'What no statement holds yet, by partner or advertiser and currency.',
    least: 'viewer',
    query: z.object({ side: billingSide }),
    answer: z.array(billingOpen),
  },
  billingStatements: {
    method: 'get',
    path: '/billing/statements',
    group: 'Money',
    summary: 'Statements to partners or advertisers, newest first.',
    least: 'viewer',
    query: z.object({ side: billingSide }),
    answer: z.array(billingStatement),
  },
  billingStatement: {
    method: 'get',
    path: '/billing/statements/{id}',
    group: 'Money',
    summary: 'One statement.',
    least: 'viewer',
    answer: billingStatement,
    refuses: ['not_found'],
  },
  billingLines: {
    method: 'get',
    path: '/billing/statements/{id}/lines',
    group: 'Money',
    summary: 'What a statement holds, by conversion.',
    least: 'viewer',
    query: z.object({
      cursor: z.string().max(1000).default(''),
      limit: z.coerce.number().int().min(1).max(1000).default(200),
    }),
    answer: pageOf(billingLine),
    refuses: ['not_found'],
  },
  issueBillingStatement: {
    method: 'post',
    path: '/billing/statements',
    group: 'Money',
    summary: 'Issue a statement: it freezes the booked entries that no statement holds yet.',
    least: 'editor',
    once: true,
    body: issueStatement,
    answer: billingStatement,
    refuses: ['not_found', 'nothing_to_bill'],
  },
  voidBillingStatement: {
    method: 'post',
    path: '/billing/statements/{id}/void',
    group: 'Money',
    summary: 'Void a statement. Its entries are open again.',
    least: 'editor',
    body: z.object({
      reason: z.string().trim().min(1, 'Enter a reason.').max(200, 'At most 200 characters.'),
    }),
    answer: billingStatement,
    refuses: ['not_found', 'statement_in_use'],
  },
  listPayments: {
    method: 'get',
    path: '/billing/payments',
    group: 'Money',
    summary: 'Payments to partners, newest first.',
    least: 'viewer',
    answer: z.array(payment),
  },
  makePayment: {
    method: 'post',
    path: '/billing/payments',
    group: 'Money',
    summary: 'Put statements to partners together, to be approved and paid at once.',
    least: 'editor',
    once: true,
    body: z.object({
      statementIds: z.array(recordId).min(1, 'Choose a statement.').max(MAX_PAYMENT_STATEMENTS),
    }),
    answer: payment,
    refuses: ['statement_in_use'],
  },
  movePayment: {
    method: 'post',
    path: '/billing/payments/{id}/move',
    group: 'Money',
    summary: 'Approve a payment, mark it as paid, or take the last step back.',
    least: 'editor',
    body: z.object({ from: z.enum(paymentStates), to: z.enum(paymentStates) }),
    answer: payment,
    refuses: ['not_found', 'payment_moved'],
  },
} as const satisfies Record<string, Endpoint>;
