/** What has come in and gone out, as the API lists it. Amounts are micro-units in decimal text. */
import type { ConversionStatus } from './primitives.ts';

export const callOutcomes = ['accepted', 'updated', 'duplicate', 'ignored', 'repair', 'queued'] as const;
export type CallOutcome = (typeof callOutcomes)[number];

/** Why a call had its outcome; the sentence is made in core/conversions/reasons.ts. */
export const callReasons = [
  'booked',
  'moved',
  'same_again',
  'word_says_ignore',
  'move_not_allowed',
  'outside_window',
  'no_click_id',
  'click_unsubstituted',
  'unknown_click',
  'unknown_transaction',
  'sent_to_no_offer',
  'unreadable_payout',
  'unreadable_currency',
  'unmapped_status',
  'unmapped_event',
  'several_matches',
  'not_judged_yet',
] as const;
export type CallReason = (typeof callReasons)[number];

export interface CallInRow {
  id: string;
  receivedAt: string;
  networkId: string;
  networkName: string;
  method: string;
  rawQuery: string;
  body: string;
  outcome: CallOutcome;
  reason: CallReason;
  sentence: string;
  clickId: string;
  conversionId: string;
  notes: string[];
}

export interface ConversionRow {
  id: string;
  at: string;
  visitAt: string;
  clickId: string;
  campaignId: string;
  campaignName: string;
  offerName: string;
  networkName: string;
  eventName: string;
  status: ConversionStatus;
  transaction: string;
  payoutMicros: string;
  currency: string;
  /** In the desk's currency; null while no rate is known. */
  baseMicros: string | null;
  isTest: boolean;
  flags: string[];
}

export interface VisitRow {
  id: string;
  at: string;
  campaignId: string;
  /** Empty when the campaign was stopped: the visitor was sent nowhere. */
  offerId: string;
  country: string;
  device: string;
  deviceModel: string;
  os: string;
  osVersion: string;
  browser: string;
  browserVersion: string;
  language: string;
  referrerHost: string;
  /** /24 or /48 of the visitor's address. */
  addressPrefix: string;
  /** True when unique or returning was decided by address and agent, not by cookie. */
  guessed: boolean;
  isBot: boolean;
  isRepeat: boolean;
  isUnique: boolean;
  isTest: boolean;
  costMicros: string | null;
  costCurrency: string;
  sourceClickId: string;
  subs: Record<string, string>;
  rawQuery: string;
  notes: string[];
}

export const callOutStates = ['waiting', 'delivered', 'parked', 'overtaken'] as const;
export type CallOutState = (typeof callOutStates)[number];

export interface CallOutRow {
  id: string;
  createdAt: string;
  conversionId: string;
  sourceName: string;
  campaignName: string;
  status: ConversionStatus;
  url: string;
  state: CallOutState;
  nextTryAt: string | null;
  attempts: { at: string; result: string; httpStatus: number | null; tookMs: number }[];
}

export interface Page<T> {
  rows: T[];
  /** Pass as `before` to get the next page; null at the end. */
  next: string | null;
}

export const newsTopics = ['visits', 'calls-in', 'booked', 'calls-out', 'parts'] as const;
export type NewsTopic = (typeof newsTopics)[number];
/** One JSON line of the event stream: what has moved, so that the page asks again for just that. */
export interface StreamNews {
  deskId: string;
  topics: NewsTopic[];
}
