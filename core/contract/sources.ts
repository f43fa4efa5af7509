/** A traffic source: who sends the visits, what it tells of each, where it hears of conversions. */
import { z } from 'zod';
import {
  conversionStatus,
  currencyCode,
  macroStyle,
  parameterName,
  recordName,
  subName,
} from './primitives.ts';
import { httpUrl, macroText, notes, optionalZone, orEmpty, percentMicros, tags, twice } from './texts.ts';

export const costUnits = ['visit', 'thousand', 'cents', 'micros'] as const;

/** Where a source takes links: platforms with two fields want the address in one and the parameters in the other. */
export const linkPlaces = ['final_url', 'tracking_template', 'extension'] as const;
export type LinkPlace = (typeof linkPlaces)[number];

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
    /** Payout as it was booked, or converted into the currency of this source's cost. */
    reportPayout: z.enum(['booked', 'converted']).default('booked'),
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
