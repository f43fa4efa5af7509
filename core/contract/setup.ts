/** Seeing a campaign work by its own links, and changing many campaigns at once. */
import { z } from 'zod';
import { conversionStatus, countryCode, isoTime, microsText, recordId } from './primitives.ts';
import { partAnswer, partStates } from './parts.ts';
import { postbackInRow, postbackOutRow, conversionRow } from './signals.ts';
import { wholeVisit } from './visitRows.ts';
import { orEmpty } from './texts.ts';
import { visitFates } from '../visits/index.ts';

const amountOrNone = orEmpty(microsText.refine((s) => !s.startsWith('-'), 'Enter zero or more.')).default('');
const idOrNone = z.string().max(26).default('');

/** As which visitor a test comes. */
export const testVisitor = z.object({
  country: orEmpty(countryCode).default(''),
  device: z.enum(['phone', 'iphone', 'tablet', 'desktop']).default('phone'),
  /** Values for the source's parameters, by parameter; what is left out gets a sample. */
  values: z.record(z.string().max(64), z.string().max(512)).default({}),
});
export type TestVisitor = z.input<typeof testVisitor>;
export const testLink = z.object({ url: z.string(), until: isoTime });
export const testVisitAnswer = z.object({
  clickId: recordId,
  /** The link that was asked for. */
  url: z.string(),
  status: z.int(),
  /** Where it sent the visitor. */
  location: z.string(),
});
export type TestVisitAnswer = z.infer<typeof testVisitAnswer>;
export const followedHop = z.object({
  url: z.string(),
  /** null: it did not answer, or was not asked. */
  status: z.int().nullable(),
  /** How it goes on: by a redirect, by a page that forwards, not at all; or it failed, or it is one of our own addresses. */
  way: z.enum(['redirect', 'refresh', 'end', 'failed', 'own']),
  tookMs: z.int(),
  detail: z.string(),
  /** What became of the values in its address. */
  changes: z.array(
    z.object({
      name: z.string(),
      value: z.string(),
      what: z.enum(['moved', 'changed', 'dropped']),
      to: z.string(),
    }),
  ),
});
export type FollowedHop = z.infer<typeof followedHop>;
export const followAnswer = z.object({
  clickId: recordId,
  branchId: z.string(),
  pairingId: z.string(),
  /** Empty: it was sent to a fallback address. */
  offerId: z.string(),
  fate: z.enum(visitFates),
  legs: z.array(
    z.object({
      /** The tracking link, or the link of a button. */
      from: z.string(),
      /** 0: the tracking link. */
      button: z.int(),
      hops: z.array(followedHop),
      isFound: z.boolean(),
      sentence: z.string(),
    }),
  ),
});
export type FollowAnswer = z.infer<typeof followAnswer>;
export const testClick = z.object({ n: z.int().min(1).max(20).default(1) });
export const testClickAnswer = z.object({ url: z.string(), status: z.int(), location: z.string() });
export const testConversion = z.object({
  eventTypeId: idOrNone,
  status: z.union([conversionStatus, z.literal('')]).default(''),
  payoutMicros: amountOrNone,
  transaction: z.string().trim().max(120).default(''),
  /** The source is told of this test like of a real conversion. */
  reportToSource: z.boolean().default(false),
});
export type TestConversion = z.input<typeof testConversion>;
export const testConversionAnswer = z.object({
  /** The call that was made, as the network would make it. */
  url: z.string(),
  status: z.int(),
  answer: z.string(),
});
export type TestConversionAnswer = z.infer<typeof testConversionAnswer>;

export const liveTest = testConversion;
export const liveTestAnswer = testConversionAnswer.extend({
  /** The test visit that it reports. */
  clickId: recordId,
  campaignName: z.string(),
  /** ID of the stored postback; empty when Tracheon did not store it. */
  receiptId: z.string(),
});
export type LiveTestAnswer = z.infer<typeof liveTestAnswer>;

const seenPostback = z.object({
  id: recordId,
  at: isoTime,
  rawQuery: z.string(),
  clickId: z.string(),
  sentence: z.string(),
});
/** Activity of a campaign in the last 24 hours, hop by hop. Tests are counted apart wherever they could mislead. */
export const campaignLive = z.object({
  since: isoTime,
  visits: z.int(),
  tests: z.int(),
  withSourceClickId: z.int(),
  lastVisit: z
    .object({
      clickId: recordId,
      at: isoTime,
      isTest: z.boolean(),
      country: z.string(),
      device: z.string(),
      rawQuery: z.string(),
    })
    .nullable(),
  /** Macros that came unfilled, by parameter, with the latest example. */
  unsubstituted: z.array(
    z.object({ parameter: z.string(), count: z.int(), clickId: recordId, rawQuery: z.string() }),
  ),
  toPage: z.int(),
  /** Visits with a click, by button. */
  buttons: z.array(z.object({ n: z.int(), visits: z.int() })),
  lastClick: z.object({ clickId: recordId, n: z.int(), at: isoTime }).nullable(),
  toOffer: z.int(),
  /** Visits that went to a fallback, or nowhere, since the campaign was paused or its offer took none. */
  fallback: z.int(),
  /** Calls about visits of this campaign. */
  postbacks: z.int(),
  lastPostback: seenPostback.nullable(),
  /** Calls of its network that could not be matched with any visit: they may be this campaign's. */
  unmatched: z.int(),
  lastUnmatched: seenPostback.nullable(),
  conversions: z.int(),
  lastConversion: z
    .object({
      id: recordId,
      clickId: recordId,
      at: isoTime,
      status: conversionStatus,
      payoutMicros: microsText,
      currency: z.string(),
      isTest: z.boolean(),
      /** False: it is a test of which the source is not told. */
      isReported: z.boolean(),
    })
    .nullable(),
  delivered: z.int(),
  waiting: z.int(),
  gaveUp: z.int(),
  lastPostbackOut: z
    .object({
      id: recordId,
      at: isoTime,
      conversionId: recordId,
      url: z.string(),
      state: z.string(),
      /** Of its last attempt; empty before the first. */
      result: z.string(),
      httpStatus: z.int().nullable(),
    })
    .nullable(),
});
export type CampaignLive = z.infer<typeof campaignLive>;

/** What really travelled with one visit: from the source on, until the source was told. */
export const visitTrail = z.object({
  visit: wholeVisit,
  /** The parts through which it went, the offer and the page as they were then. */
  parts: z.object({
    campaign: partAnswer,
    source: partAnswer,
    network: partAnswer,
    offer: partAnswer.nullable(),
    page: partAnswer.nullable(),
  }),
  /** Where it was sent, filled with what is still known of it; empty where it was not sent. */
  pageUrl: z.string(),
  offerUrl: z.string(),
  postbacksIn: z.array(postbackInRow),
  conversions: z.array(conversionRow),
  postbacksOut: z.array(postbackOutRow),
});
export type VisitTrail = z.infer<typeof visitTrail>;

/** Records that are changed or made together: all of them, or none. */
export const MAX_CHANGED_TOGETHER = 500;
export const manyChanges = z.object({
  /** What is done, as it stands in the list of changes. */
  words: z.string().trim().min(1).max(200),
  changes: z
    .array(
      z
        .object({
          id: recordId,
          version: z.int().min(1),
          /** A new body, a new state, or both. */
          body: z.unknown().optional(),
          state: z.enum(partStates).optional(),
        })
        .refine((c) => c.body !== undefined || c.state !== undefined, 'Give a new body or a new state.'),
    )
    .min(1, 'Select at least one record to change.')
    .max(MAX_CHANGED_TOGETHER),
});
export const manyCampaigns = z.object({
  /** As it stands in the list of changes. */
  words: z.string().trim().min(1).max(200).default('Created campaigns'),
  campaigns: z.array(z.unknown()).min(1, 'Add at least one campaign.').max(MAX_CHANGED_TOGETHER),
});
export const changeRow = z.object({
  id: recordId,
  words: z.string(),
  at: isoTime,
  by: z.string(),
  count: z.int(),
  undone: z.boolean(),
});
export type ChangeRow = z.infer<typeof changeRow>;
export const changeAnswer = z.object({ change: changeRow, records: z.array(partAnswer) });
export type ChangeAnswer = z.infer<typeof changeAnswer>;

/** What a text from anywhere is on this desk: a click ID, a transaction, a tracking link, a key. */
export const foundThings = z.object({
  rows: z.array(
    z.object({
      what: z.enum(['visit', 'conversion', 'postback', 'campaign', 'network', 'landing-page']),
      id: z.string(),
      title: z.string(),
      says: z.string(),
    }),
  ),
});
export type FoundThings = z.infer<typeof foundThings>;
