/** A traffic source: who sends the visits, what it tells of each, where it hears of conversions. */
import { z } from 'zod';
import {
  conversionStatus,
  currencyCode,
  macroStyle,
  microsText,
  parameterName,
  recordId,
  recordName,
  subName,
} from './primitives.ts';
import { bodyProblem } from './requestBody.ts';
import { httpUrl, macroText, notes, optionalZone, orEmpty, percentMicros, tags, twice } from './texts.ts';

export const costUnits = ['visit', 'thousand', 'cents', 'micros'] as const;

/** Where a source takes links: platforms with two fields want the address in one and the parameters in the other. */
export const linkPlaces = ['final_url', 'tracking_template', 'extension'] as const;
export type LinkPlace = (typeof linkPlaces)[number];

/** Payout as it was booked, converted into the currency of this source's cost, or the same amount always. */
export const reportPayouts = ['booked', 'converted', 'fixed'] as const;
/** `payout`: when the payout of a reported status changes; `each`: each time that a reported status is reached, too. */
export const reportAgains = ['never', 'payout', 'each'] as const;
export type ReportAgain = (typeof reportAgains)[number];
/** `pixel`: an image in the visitor's browser, placed by our iframe on the thank-you page. */
export const postbackMethods = ['get', 'form', 'json', 'pixel'] as const;
export type PostbackMethod = (typeof postbackMethods)[number];
const MAX_BODY = 4096;

/** Those that the connection itself sets. */
const OWN_HEADERS =
  /^(host|content-length|content-type|connection|transfer-encoding|user-agent|idempotency-key|expect|te|upgrade)$/i;
const header = z.object({
  name: z
    .string()
    .trim()
    .regex(/^[A-Za-z0-9!#$%&'*+.^_`|~-]{1,64}$/, 'Use only letters, digits and -.')
    .refine((s) => !OWN_HEADERS.test(s), 'Tracheon sets this header itself.'),
  value: z
    .string()
    .trim()
    .max(1000, 'At most 1000 characters.')
    .regex(/^[\x20-\x7e]*$/, 'Use only plain ASCII characters.')
    .default(''),
  /** Of a value that is kept encrypted; empty: the value is as it stands here. */
  secretId: orEmpty(recordId).default(''),
});

/** What a conversion file can tell of each conversion; the first six are its columns unless a member says otherwise. */
export const fileFields = [
  'source_click_id',
  'conversion_time',
  'event',
  'status',
  'payout',
  'currency',
  'transaction',
  'click_id',
  'campaign_name',
] as const;
export type FileField = (typeof fileFields)[number];
const fileColumn = z.object({
  field: z.enum(fileFields),
  name: z.string().trim().min(1, 'Enter a name for the column.').max(60, 'At most 60 characters.'),
});
/** A conversion file has the conversions of so many days. */
export const FILE_DAYS = 30;

const account = z.object({
  name: z.string().trim().min(1, 'Enter a name for the account.').max(80),
  postbackUrl: orEmpty(httpUrl).default(''),
});
export type SourceAccount = z.infer<typeof account>;

export const listSeparators = ['newline', 'comma', 'semicolon', 'space', 'pipe'] as const;

export const sourceInput = z
  .object({
    name: recordName,
    macroStyle: macroStyle.default('{x}'),
    /** In the order in which they stand in the tracking link. */
    parameters: z
      .array(
        z.object({
          parameter: parameterName,
          macro: macroText.default(''),
          role: z.enum(['sub', 'click_id', 'cost']),
          sub: orEmpty(subName).default(''),
          /** What it tells, in the member's words. */
          meaning: z.string().trim().max(120, 'At most 120 characters.').default(''),
          /** False: only passed on in links and postbacks, no dimension of reports. */
          report: z.boolean().default(true),
          /** It tells who the visitor is: kept with the visit alone, and in no sealed day. */
          personal: z.boolean().default(false),
          /** Places where it is left off, such as a tracking template that adds it by itself. */
          leftOff: z.array(z.enum(linkPlaces)).default([]),
        }),
      )
      .max(60, 'At most 60 parameters.')
      .default([]),
    costUnit: z.enum(costUnits).default('visit'),
    costCurrency: currencyCode.default('EUR'),
    decimalMark: z.enum(['', '.', ',']).default(''),
    /** The source's conversion address with our tokens; empty: it wants none. */
    postbackUrl: orEmpty(httpUrl).default(''),
    /** Accounts at this source that are told at an address of their own; a campaign names the one it runs in. */
    accounts: z.array(account).max(40).default([]),
    reportStatuses: z.array(conversionStatus).default(['approved']),
    /** Event types of which it is told; none: of all. */
    reportEvents: z.array(z.string()).max(60).default([]),
    /** Share of conversions that it is told of, in percent; decided once for each conversion. */
    reportedShare: z.number().int().min(0, 'From 0 to 100.').max(100, 'From 0 to 100.').default(100),
    reportPayout: z.enum(reportPayouts).default('booked'),
    /** For `fixed`: what it is told instead, in the currency of its cost. */
    reportFixed: microsText.default('0'),
    /** After the change that is reported, in minutes. What is taken back meanwhile is never sent. */
    reportDelayMinutes: z
      .number()
      .int()
      .min(0, 'From 0 to 43200 (30 days).')
      .max(43_200, 'From 0 to 43200 (30 days).')
      .default(0),
    /** Which changes are reported once more, after the first time that a status was reached. */
    reportAgain: z.enum(reportAgains).default('never'),
    postbackMethod: z.enum(postbackMethods).default('get'),
    /** Of a form or JSON request, with our tokens. */
    postbackBody: z.string().max(MAX_BODY, `At most ${MAX_BODY} characters.`).default(''),
    postbackHeaders: z.array(header).max(10, 'At most 10 headers.').default([]),
    /** Makes the secret address at which the source fetches its conversions; empty: it has none. Another one, another address. */
    fileKey: z
      .string()
      .regex(/^[a-z0-9]{0,32}$/, 'Use only lowercase letters and digits.')
      .default(''),
    fileColumns: z
      .array(fileColumn)
      .min(1, 'Add at least one column.')
      .max(20, 'At most 20 columns.')
      .default(fileFields.slice(0, 6).map((field) => ({ field, name: field }))),
    /** Clicks that it bills for each one that arrives, ×10⁶: 1.05 is 1050000. */
    billedPerArrived: z
      .string()
      .regex(/^\d{1,9}$/, 'Enter a number such as 1.05.')
      .refine((s) => Number(s) > 0 && Number(s) <= 100_000_000, 'Enter a number above 0, at most 100.')
      .default('1000000'),
    /** Fee on top of its cost, in percent ×10⁶. */
    feePercent: percentMicros.default('0'),
    adFormats: z.array(z.string().trim().min(1).max(60)).max(30).default([]),
    /** Whose days its cost files have; empty: the desk's. */
    zone: optionalZone,
    /** How it wants its block lists: what stands between two, and each one written with {value}. */
    listSeparator: z.enum(listSeparators).default('newline'),
    listFormat: z
      .string()
      .max(120)
      .refine((s) => s.includes('{value}'), 'Add {value} where the value goes.')
      .default('{value}'),
    /** False: its ads may not lead through a redirect, so they lead straight to a landing page. */
    allowsRedirects: z.boolean().default(true),
    docsUrl: orEmpty(httpUrl).default(''),
    tags,
    notes,
  })
  .superRefine((s, ctx) => {
    twice(
      s.parameters.map((p) => p.parameter),
      'parameters',
      'parameter',
      ctx,
    );
    s.parameters.forEach((p, i) => {
      if (p.role === 'sub' && p.sub === '')
        ctx.addIssue({
          code: 'custom',
          path: ['parameters', i, 'sub'],
          message: 'Enter a name for the sub-ID.',
        });
    });
    twice(
      s.accounts.map((a) => a.name),
      'accounts',
      'name',
      ctx,
    );
    if (s.postbackMethod === 'form' || s.postbackMethod === 'json') {
      const message = bodyProblem(s.postbackMethod, s.postbackBody);
      if (message) ctx.addIssue({ code: 'custom', path: ['postbackBody'], message });
    }
    s.postbackHeaders.forEach((h, i) => {
      if (h.value === '' && h.secretId === '')
        ctx.addIssue({ code: 'custom', path: ['postbackHeaders', i, 'value'], message: 'Enter a value.' });
    });
    twice(
      s.postbackHeaders.map((h) => h.name.toLowerCase()),
      'postbackHeaders',
      'name',
      ctx,
    );
    for (const role of ['click_id', 'cost'] as const) {
      const at = s.parameters.map((p, i) => (p.role === role ? i : -1)).filter((i) => i >= 0);
      if (at.length > 1)
        ctx.addIssue({
          code: 'custom',
          path: ['parameters', at[1]!, 'role'],
          message:
            role === 'cost'
              ? 'Another parameter above already carries the cost.'
              : 'Another parameter above already carries the click ID.',
        });
    }
  });
export type SourceInput = z.infer<typeof sourceInput>;
