/** Visits as the API lists them, and one opened with its button clicks. */
import { z } from 'zod';
import { visitFates } from '../visits/columns.ts';
import { isoTime, microsText, recordId } from './primitives.ts';

/** Which visits a list shows; those of a trail's counts are without bots and tests. */
export const visitKinds = [
  'counted',
  'with_click_id',
  'without_click_id',
  'unfilled',
  'to_page',
  'clicked',
  'to_offer',
  'fallback',
  'bot',
  'test',
  'repeat',
  // Whose cost wants a look; notes of the visit.
  'no_cost',
  'unreadable_cost',
  'odd_cost',
] as const;
export type VisitKind = (typeof visitKinds)[number];

export const visitRow = z.object({
  id: recordId,
  at: isoTime,
  campaignId: recordId,
  /** Empty when the campaign was stopped: the visitor was sent nowhere. */
  offerId: z.string(),
  /** Empty for a direct link. */
  landingId: z.string(),
  /** Where the visitor was sent. */
  fate: z.enum(visitFates),
  country: z.string(),
  device: z.string(),
  deviceModel: z.string(),
  os: z.string(),
  osVersion: z.string(),
  browser: z.string(),
  browserVersion: z.string(),
  language: z.string(),
  referrerHost: z.string(),
  /** /24 or /48 of the visitor's address. */
  addressPrefix: z.string(),
  /** True when unique or returning was decided by address and agent, not by cookie. */
  guessed: z.boolean(),
  isBot: z.boolean(),
  isRepeat: z.boolean(),
  isUnique: z.boolean(),
  isTest: z.boolean(),
  costMicros: microsText.nullable(),
  costCurrency: z.string(),
  sourceClickId: z.string(),
  subs: z.record(z.string(), z.string()),
  rawQuery: z.string(),
  notes: z.array(z.string()),
});
export type VisitRow = z.infer<typeof visitRow>;

/** How a button click was matched with its visit: by the link, by the cookie, by what we had signed into the link. */
export const clickMatches = ['link', 'cookie', 'signed'] as const;
export type ClickMatch = (typeof clickMatches)[number];

/** One visit with the clicks on its landing page's buttons, oldest first. The first of each button is the one that counts. */
export const wholeVisit = visitRow.extend({
  /** What is known of it, by the names of the dimensions; records by their names. */
  dimensions: z.array(z.object({ name: z.string(), label: z.string(), value: z.string() })),
  buttonClicks: z.array(
    z.object({
      n: z.int(),
      at: isoTime,
      match: z.enum(clickMatches),
      /** What stood in the link where the button’s number belongs; empty when it was a number of the page. */
      told: z.string(),
      /** Where it led; empty for an address to fall back on. */
      offerName: z.string(),
    }),
  ),
});
export type WholeVisit = z.infer<typeof wholeVisit>;
