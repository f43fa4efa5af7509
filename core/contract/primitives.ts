/**
 * Small schemas that every record shares. A shape is written once, here or in a sibling file, and serves the
 * form, the API and the database writer.
 */
import currencyCodes from 'currency-codes';
import { z } from 'zod';
import { amountSentence, parseAmount } from '../money/amount.ts';

/** Longest value of one parameter kept, in bytes. */
export const MAX_VALUE_BYTES = 512;
/** Longest raw query kept with a visit, in bytes. */
export const MAX_RAW_QUERY_BYTES = 2048;
/** More parameters than this in one query are not read; no partner sends as many. */
export const MAX_PARAMETERS = 256;
/** Longest URL that a record may carry; browsers and partners cut beyond it. */
export const MAX_URL_LENGTH = 8192;

export const recordId = z.string().regex(/^[0-9A-HJKMNP-TV-Z]{26}$/, 'is no record ID');
export const recordName = z
  .string()
  .trim()
  .min(1, 'Give it a name.')
  .max(120, 'At most 120 characters.')

  .refine((s) => !/[\u0000-\u001f\u007f]/.test(s), 'Control characters are not possible in a name.');

/** An amount in micro-units (1 000 000 = 1.00) as a decimal integer string: the only money on the wire. */
export const microsText = z.string().superRefine((text, ctx) => {
  if (/^-?\d{1,18}$/.test(text)) return;
  if (text === '') return ctx.addIssue({ code: 'custom', message: 'How much?' });
  const typed = text.startsWith(UNREADABLE) ? parseAmount(text.slice(1)) : null;
  const message =
    typed && !typed.ok ? amountSentence(typed.problem, text.slice(1)) : 'is no whole number of micro-units';
  ctx.addIssue({ code: 'custom', message });
});
/** Before what was typed as an amount and could not be read: a form keeps the text, and the schema says why. */
export const UNREADABLE = '?';

/** ISO 4217, and the Caribbean guilder, which the list does not have yet. */
const currencies = new Set([...currencyCodes.codes(), 'XCG']);
export const isCurrency = (code: string): boolean => currencies.has(code);
export const currencyCode = z
  .string()
  .regex(/^[A-Z]{3}$/, 'Three capital letters, such as EUR.')
  .refine(isCurrency, 'No currency has this code (ISO 4217).');
export const countryCode = z.string().regex(/^[A-Z]{2}$/, 'Two capital letters, such as BE.');
export const isoTime = z.iso.datetime({ offset: true });

/** Name of a parameter in a query: anything that needs no encoding there. */
export const parameterName = z
  .string()
  .trim()
  .min(1, 'Which parameter?')
  .max(64, 'At most 64 characters.')
  .regex(/^[A-Za-z0-9_.\-~[\]]+$/, 'Letters, digits and _ . - ~ [ ] only; no spaces.');

/** Name of a sub-ID, kept by meaning and not by number. */
export const subName = z
  .string()
  .trim()
  .regex(
    /^[a-z][a-z0-9_]{0,31}$/,
    'Begin with a small letter; then small letters, digits and _, at most 32 in all.',
  );

/** True when the runtime knows the zone by this IANA name. */
export function isZone(name: string): boolean {
  try {
    new Intl.DateTimeFormat('en', { timeZone: name });
    return true;
  } catch {
    return false;
  }
}
export const zoneName = z.string().refine(isZone, 'An IANA zone, such as Europe/Brussels.');

export const statuses = ['pending', 'approved', 'rejected', 'reversed'] as const;
export const conversionStatus = z.enum(statuses);
export type ConversionStatus = z.infer<typeof conversionStatus>;

/** The shapes in which partners write their placeholders. */
export const macroStyles = [
  '{x}',
  '{{x}}',
  '${x}',
  '[x]',
  '[[x]]',
  '%x%',
  '%%x%%',
  '#x#',
  '##x##',
  '<x>',
  '@x@',
  '@@x@@',
  '__x__',
  '*|x|*',
] as const;
export const macroStyle = z.enum(macroStyles);
export type MacroStyle = z.infer<typeof macroStyle>;
