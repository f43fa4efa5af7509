/** A landing page: a page of our own between visit and offer, and what a look at it found. */
import { z } from 'zod';
import { countryCode, isoTime, recordName } from './primitives.ts';
import { httpUrl, notes, orEmpty, tags } from './texts.ts';

/** No page has as many ways to the offer. */
export const MAX_BUTTONS = 20;

export const landingPageInput = z.object({
  name: recordName,
  /** Our tokens may stand in it; the click ID is put on by itself. */
  url: httpUrl,
  buttons: z
    .number()
    .int()
    .min(1, 'Enter at least 1.')
    .max(MAX_BUTTONS, `Enter at most ${MAX_BUTTONS}.`)
    .default(1),
  countries: z.array(countryCode).max(250).default([]),
  /** Where a button leads when nobody knows whose click it is; empty: the only offer behind the page, or nowhere. */
  fallbackUrl: orEmpty(httpUrl).default(''),
  tags,
  notes,
});
export type LandingPageInput = z.infer<typeof landingPageInput>;

/** Why a page could not be looked at; `ok` when it could. */
export const pageTroubles = [
  'ok',
  'refused',
  'no_answer',
  'too_slow',
  'too_large',
  'error_status',
  'redirects_too_often',
  'not_html',
] as const;
export type PageTrouble = (typeof pageTroubles)[number];

/** What a look at the page found. */
export const pageCheck = z.object({
  at: isoTime,
  trouble: z.enum(pageTroubles),
  /** The trouble in a sentence; empty when there is none. */
  sentence: z.string(),
  /** The address that answered in the end; differs from the page's own after redirects. */
  finalUrl: z.string(),
  status: z.int().nullable(),
  secure: z.boolean(),
  tookMs: z.int(),
  bytes: z.int(),
  buttons: z.array(
    z.object({
      n: z.int(),
      /** Links to this button's address on the page. */
      found: z.int(),
      /** One visitor's click ID stands in the link: every click would count for that visitor. */
      baked: z.boolean(),
      secure: z.boolean(),
    }),
  ),
  /** Our script is on the page: it puts each visitor's click ID into the button links. */
  script: z.boolean(),
  /** Button links on the page that belong to other landing pages. */
  strays: z.array(z.string()),
});
export type PageCheck = z.infer<typeof pageCheck>;
