/** What has come in and gone out, as the API lists it. Amounts are micro-units in decimal text. */
import { z } from 'zod';
import { postbackMethods } from './sources.ts';
import { conversionStatus, isoTime, microsText, recordId } from './primitives.ts';

/** By which way a receipt came: a partner's server, a pixel on a page, a row of a file, a member's hand. */
export const receiptChannels = ['postback', 'pixel', 'file', 'hand', 'feed'] as const;
export type ReceiptChannel = (typeof receiptChannels)[number];

export const postbackOutcomes = [
  'accepted',
  'updated',
  'duplicate',
  'ignored',
  'repair',
  'held',
  'queued',
  'set_aside',
  'withdrawn',
] as const;
export type PostbackOutcome = (typeof postbackOutcomes)[number];

/** Why a call had its outcome; the sentence is made in core/conversions/reasons.ts. */
export const postbackReasons = [
  'booked',
  'moved',
  'same_again',
  'word_says_ignore',
  'move_not_allowed',
  'other_channel',
  'outside_window',
  'no_click_id',
  'click_unsubstituted',
  'unknown_click',
  'unknown_transaction',
  'sent_to_no_offer',
  'unreadable_body',
  'not_a_value',
  'unreadable_payout',
  'unreadable_currency',
  'unmapped_status',
  'unmapped_event',
  'several_matches',
  'other_network',
  'amount_too_large',
  'address_not_listed',
  'wrong_proof',
  'not_judged_yet',
  'no_cookie',
  'nothing_to_change',
  'withdrawn',
  'partner_without_transaction',
  'unknown_offer',
  'payout_reviewed',
  'no_partner_payout',
] as const;
export type PostbackReason = (typeof postbackReasons)[number];

/** So many at a time are changed together; more go in several requests, with progress. */
export const MAX_AT_ONCE = 100;
const manyIds = z.array(recordId).min(1).max(MAX_AT_ONCE);
export const manyInput = z.object({ ids: manyIds });
export const setAsideInput = z.object({
  ids: manyIds,
  reason: z.string().trim().min(1, 'Enter a reason.').max(200, 'At most 200 characters.'),
});
/** What was changed, and what was not with its reason. */
export const manyAnswer = z.object({
  changed: z.int(),
  unchanged: z.array(z.object({ id: recordId, why: z.string() })),
});
export type ManyAnswer = z.infer<typeof manyAnswer>;
/** What was asked for and is not among what was done, each once. */
export function notDone(
  ids: readonly string[],
  done: readonly { id: string }[],
  why: string,
): ManyAnswer['unchanged'] {
  const ready = new Set(done.map((d) => d.id));
  return [...new Set(ids)].filter((id) => !ready.has(id)).map((id) => ({ id, why }));
}

/** A request used this key, and no record has it. */
export const unknownKeyRow = z.object({
  kind: z.enum(['campaign', 'button', 'intake']),
  key: z.string(),
  /** The host of the request. */
  host: z.string(),
  times: z.int(),
  lastAt: isoTime,
  lastCountry: z.string(),
});
export type UnknownKeyRow = z.infer<typeof unknownKeyRow>;

export const postbackInRow = z.object({
  id: recordId,
  receivedAt: isoTime,
  networkId: recordId,
  networkName: z.string(),
  method: z.string(),
  rawQuery: z.string(),
  body: z.string(),
  outcome: z.enum(postbackOutcomes),
  reason: z.enum(postbackReasons),
  /** The reason in words. */
  sentence: z.string(),
  clickId: z.string(),
  conversionId: z.string(),
  /** The reason that a member gave for setting it aside; otherwise empty. */
  setAsideReason: z.string(),
  notes: z.array(z.string()),
});
export type PostbackInRow = z.infer<typeof postbackInRow>;

/** Kinds of entries in the ledger: revenue, and what is owed to the partner who brought it, each on hold or decided. */
export const ledgerKinds = ['hold', 'earn', 'partner_hold', 'partner'] as const;
export type LedgerKind = (typeof ledgerKinds)[number];

/** What a list of conversions can be sorted by. */
export const conversionSorts = [
  'at',
  'status',
  'payout',
  'base',
  'event',
  'campaign',
  'offer',
  'transaction',
] as const;

export const conversionRow = z.object({
  id: recordId,
  at: isoTime,
  visitAt: isoTime,
  /** Of another tracker where it was carried over; empty for a partner's conversion. */
  clickId: z.string(),
  /** The network's ID of the partner who brought it; empty where a visit did. */
  partnerId: z.string(),
  /** Of the partner whose link or ID it was; empty where none is known. */
  partnerName: z.string(),
  /** Empty for a partner's conversion, and so is its name. */
  campaignId: z.string(),
  campaignName: z.string(),
  offerName: z.string(),
  networkName: z.string(),
  eventName: z.string(),
  status: conversionStatus,
  transaction: z.string(),
  payoutMicros: microsText,
  currency: z.string(),
  /** In the desk's currency; null while no rate is known. */
  baseMicros: microsText.nullable(),
  isTest: z.boolean(),
  flags: z.array(z.string()),
  /** Of the payout of the partner who brought it; null where nobody is paid for it. */
  partnerStatus: conversionStatus.nullable(),
  partnerMicros: microsText.nullable(),
  partnerCurrency: z.string().nullable(),
  /** When Tracheon approves the payout if nothing happens until then; null: never by itself. */
  partnerDueAt: isoTime.nullable(),
  /** Told with a rejection or reversal; in no sum. Null for none. */
  notedMicros: microsText.nullable(),
  notedCurrency: z.string().nullable(),
  sourceName: z.string(),
  /** Of the visit; empty once it is gone. */
  sourceClickId: z.string(),
  branchId: z.string(),
  pairingId: z.string(),
  /** Empty for a direct link. */
  landingName: z.string(),
  country: z.string(),
  device: z.string(),
  subs: z.record(z.string(), z.string()),
  extras: z.record(z.string(), z.string()),
  /** Whether the source is told of it; null while that was not decided. */
  isReported: z.boolean().nullable(),
  /** State of the newest postback to the source; empty: none. */
  sentState: z.string(),
});
export type ConversionRow = z.infer<typeof conversionRow>;

/** `on_page`: an image that waits for the visitor's thank-you page. */
export const postbackOutStates = [
  'waiting',
  'on_page',
  'delivered',
  'gave_up',
  'superseded',
  'set_aside',
] as const;
export type PostbackOutState = (typeof postbackOutStates)[number];

export const postbackOutRow = z.object({
  id: recordId,
  createdAt: isoTime,
  conversionId: recordId,
  /** The source or the partner that is told. */
  sourceName: z.string(),
  isPartner: z.boolean(),
  campaignName: z.string(),
  status: conversionStatus,
  /** The how manieth with this status. */
  nth: z.int(),
  method: z.enum(postbackMethods),
  url: z.string(),
  body: z.string(),
  state: z.enum(postbackOutStates),
  /** The reason that a member gave for setting it aside; otherwise empty. */
  setAsideReason: z.string(),
  nextTryAt: isoTime.nullable(),
  attempts: z.array(
    z.object({ at: z.string(), result: z.string(), httpStatus: z.int().nullable(), tookMs: z.int() }),
  ),
});
export type PostbackOutRow = z.infer<typeof postbackOutRow>;

/** One postback opened: how it was read, whose it is, what it changed, and what went on to the source. */
export const wholePostbackIn = z.object({
  postback: postbackInRow,
  channel: z.enum(receiptChannels),
  /** Where it was sent, without the host; empty for viewers, since the network's key stands in it. */
  path: z.string(),
  contentType: z.string(),
  /** Of a change by hand: why, as the member wrote it. */
  byHand: z.string(),
  /** With the network's mapping as it is now. */
  steps: z.array(
    z.object({
      parameter: z.string(),
      field: z.string(),
      value: z.string(),
      meaning: z.string(),
      isTrouble: z.boolean(),
    }),
  ),
  /** The visit that it matched. */
  visit: z
    .object({
      clickId: recordId,
      at: isoTime,
      campaignId: recordId,
      campaignName: z.string(),
      offerName: z.string(),
      country: z.string(),
      isTest: z.boolean(),
    })
    .nullable(),
  /** The conversion as it is now. */
  conversion: conversionRow.nullable(),
  /** What this postback booked; empty when it changed no amount. */
  booked: z.array(
    z.object({
      kind: z.enum(ledgerKinds),
      deltaMicros: microsText,
      currency: z.string(),
      /** In the desk's currency; null while no rate is known. */
      baseDeltaMicros: microsText.nullable(),
    }),
  ),
  /** Postbacks to the source about this conversion, since this postback came. */
  sent: z.array(
    z.object({
      id: recordId,
      status: conversionStatus,
      state: z.enum(postbackOutStates),
      sourceName: z.string(),
    }),
  ),
});
export type WholePostbackIn = z.infer<typeof wholePostbackIn>;

/** What the server made of a call, when asked to judge it again. */
export const judgementAnswer = z.object({
  outcome: z.enum(postbackOutcomes),
  reason: z.enum(postbackReasons),
  detail: z.string(),
  conversionId: z.string(),
});

export type JudgementAnswer = z.infer<typeof judgementAnswer>;

export const pageOf = <T extends z.ZodType>(row: T) =>
  z.object({
    rows: z.array(row),
    /** Pass as `cursor` to get the next page; null at the end. */
    next: z.string().nullable(),
  });
export interface Page<T> {
  rows: T[];
  next: string | null;
}

/** What a network has sent in the last 30 days, by what it said and what was made of it. */
export const networkSeen = z.object({
  rows: z.array(
    z.object({
      /** As it was understood; empty when it could not be read. */
      status: z.string(),
      eventName: z.string(),
      outcome: z.enum(postbackOutcomes),
      count: z.int(),
      lastAt: isoTime,
    }),
  ),
  /** Pixels by the visitors' browsers; empty when none has come. */
  pixels: z.array(
    z.object({
      /** Empty: not known. */
      browser: z.string(),
      count: z.int(),
      /** A click ID stood in the tag, or the cookie told it. */
      byTag: z.int(),
      byCookie: z.int(),
      /** Neither: nobody knows whose conversion it was. */
      lost: z.int(),
      /** What the lost ones would have paid, where they said it, by currency. */
      lostSums: z.array(z.object({ currency: z.string(), micros: microsText })),
    }),
  ),
  /** Passed on to the network's second address. */
  relayed: z.object({
    delivered: z.int(),
    waiting: z.int(),
    gaveUp: z.int(),
    /** Of the newest one that did not arrive; empty without any. */
    lastFailure: z.string(),
  }),
});
export type NetworkSeen = z.infer<typeof networkSeen>;

/** Days within which it is told when a part was last met. */
export const PARTS_SEEN_DAYS = 7;
/** When each part was last met by a visit or a call; one that is missing was not met in these days. */
export const partsSeen = z.object({ rows: z.array(z.object({ id: recordId, at: isoTime })) });
export type PartsSeen = z.infer<typeof partsSeen>;

export const newsTopics = [
  'visits',
  'postbacks-in',
  'conversions',
  'postbacks-out',
  'parts',
  'sheets',
  'feeds',
  'watches',
  'billing',
  // Who signs in for partners, and what they may promote.
  'partners',
  // The index behind the figures has taken in what happened.
  'numbers',
] as const;
export type NewsTopic = (typeof newsTopics)[number];
/** One JSON line of the event stream: what has moved, so that the page asks again for just that. */
export interface StreamNews {
  deskId: string;
  topics: NewsTopic[];
}
