/** Conversions changed or added by a member. Each change is a receipt like any other, with its reason, and can be undone. */
import { z } from 'zod';
import type { Endpoint } from './endpoint.ts';
import { conversionStatus, currencyCode, isoTime, microsText, recordId } from './primitives.ts';
import {
  conversionRow,
  ledgerKinds,
  MAX_AT_ONCE,
  manyAnswer,
  postbackOutcomes,
  postbackOutRow,
  receiptChannels,
} from './signals.ts';
import { orEmpty } from './texts.ts';

const amount = orEmpty(microsText.refine((s) => !s.startsWith('-'), 'Enter zero or more.')).default('');
export const handReason = z.string().trim().min(1, 'Enter a reason.').max(200, 'At most 200 characters.');

export const changeConversions = z
  .object({
    ids: z.array(recordId).min(1).max(MAX_AT_ONCE),
    /** Empty: as it is. */
    status: z.union([conversionStatus, z.literal('')]).default(''),
    /** The whole amount; empty: as it is. */
    payoutMicros: amount,
    reason: handReason,
    /** Of an earlier part of the same change: undone together with it. */
    batchId: z.string().max(26).default(''),
  })
  .refine((c) => c.status !== '' || c.payoutMicros !== '', {
    path: ['status'],
    message: 'Choose a status or enter a payout.',
  });
/** A decision on what partners get; the revenue stays as it is. */
export const reviewPayouts = z.object({
  ids: z.array(recordId).min(1).max(MAX_AT_ONCE),
  /** `pending`: on hold until somebody decides, also where the offer would approve it. */
  decision: z.enum(['approved', 'rejected', 'pending']),
  reason: handReason,
  /** Of an earlier part of the same decision: undone together with it. */
  batchId: z.string().max(26).default(''),
});
export type PayoutDecision = z.output<typeof reviewPayouts>['decision'];
export const changedConversions = manyAnswer.extend({ batchId: z.string() });

export const handConversion = z.object({
  clickId: z.string().trim().min(1, 'Enter the click ID.').max(60),
  eventTypeId: recordId,
  status: conversionStatus.default('approved'),
  /** Empty: what the offer pays. */
  payoutMicros: amount,
  currency: orEmpty(currencyCode).default(''),
  transaction: z.string().trim().max(120).default(''),
  /** Empty: now. */
  conversionTime: orEmpty(isoTime).default(''),
  reason: handReason,
});
export type HandConversion = z.input<typeof handConversion>;
export const handAnswer = z.object({
  outcome: z.enum(postbackOutcomes),
  /** Why, in words. */
  sentence: z.string(),
  conversionId: z.string(),
  batchId: recordId,
});

/** One conversion with everything that made it what it is. */
export const wholeConversion = z.object({
  conversion: conversionRow,
  /** Its receipts, oldest first: postbacks, rows of files, changes by hand. */
  receipts: z.array(
    z.object({
      id: recordId,
      at: isoTime,
      channel: z.enum(receiptChannels),
      outcome: z.enum(postbackOutcomes),
      sentence: z.string(),
      status: z.string(),
      payoutMicros: microsText.nullable(),
      currency: z.string(),
      /** Of a change by hand: why, and by whom. */
      reason: z.string(),
      by: z.string(),
    }),
  ),
  ledger: z.array(
    z.object({
      at: isoTime,
      kind: z.enum(ledgerKinds),
      deltaMicros: microsText,
      currency: z.string(),
      /** To the desk's currency; null while none was known. */
      rate: z.string().nullable(),
      baseDeltaMicros: microsText.nullable(),
      receiptId: z.string(),
    }),
  ),
  sent: z.array(postbackOutRow),
  /** Further conversions of the same visit. */
  others: z.array(conversionRow),
});
export type WholeConversion = z.infer<typeof wholeConversion>;

export const byHandEndpoints = {
  conversion: {
    method: 'get',
    path: '/conversions/{id}',
    group: 'Signals',
    summary: 'One conversion with its receipts, its bookings and the postbacks sent for it.',
    least: 'viewer',
    answer: wholeConversion,
    refuses: ['not_found'],
  },
  changeConversions: {
    method: 'post',
    path: '/conversions/change',
    group: 'Signals',
    summary: 'Change the status or the payout of conversions by hand, with a reason.',
    least: 'editor',
    body: changeConversions,
    answer: changedConversions,
  },
  reviewPayouts: {
    method: 'post',
    path: '/conversions/review-payouts',
    group: 'Signals',
    summary: 'Approve, reject or hold what partners get for conversions, with a reason.',
    least: 'editor',
    body: reviewPayouts,
    answer: changedConversions,
  },
  addConversion: {
    method: 'post',
    path: '/conversions/add',
    group: 'Signals',
    summary: 'Add a conversion by hand, with a reason.',
    least: 'editor',
    body: handConversion,
    answer: handAnswer,
    refuses: ['not_found'],
  },
} as const satisfies Record<string, Endpoint>;
