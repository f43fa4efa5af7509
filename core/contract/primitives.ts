/**
 * Small schemas that every record shares. A shape is written once, here or in a sibling file, and serves the
 * form, the API and the database writer.
 */
import { statuses } from './statuses.ts';
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

export const recordId = z.string().regex(/^[0-9A-HJKMNP-TV-Z]{26}$/, 'is not a record ID');
export const recordName = z
  .string()
  .trim()
  .min(1, 'Enter a name.')
  .max(120, 'At most 120 characters.')

  .refine((s) => !/[\u0000-\u001f\u007f]/.test(s), 'A name can’t contain control characters.');

/** An amount in micro-units (1 000 000 = 1.00) as a decimal integer string: the only money on the wire. */
export const microsText = z.string().superRefine((text, ctx) => {
  if (/^-?\d{1,18}$/.test(text)) return;
  if (text === '') return ctx.addIssue({ code: 'custom', message: 'Enter an amount.' });
  const typed = text.startsWith(UNREADABLE) ? parseAmount(text.slice(1)) : null;
  const message =
    typed && !typed.ok
      ? amountSentence(typed.problem, text.slice(1))
      : 'must be a whole number of micro-units';
  ctx.addIssue({ code: 'custom', message });
});
/** Before what was typed as an amount and could not be read: a form keeps the text, and the schema says why. */
export const UNREADABLE = '?';

/** Codes of ISO 4217 in which nobody pays: metals, bond units, testing, none. */
const NO_MONEY = new Set('XXX XTS XAU XAG XPT XPD XBA XBB XBC XBD XDR XSU XUA'.split(' '));
/** ISO 4217, and the Caribbean guilder, which the list does not have yet. */
const currencies = new Set([...currencyCodes.codes().filter((code) => !NO_MONEY.has(code)), 'XCG']);
export const isCurrency = (code: string): boolean => currencies.has(code);
export const currencyCode = z
  .string()
  .regex(/^[A-Z]{3}$/, 'Enter three capital letters, such as EUR.')
  .refine(isCurrency, 'This is not a currency code (ISO 4217).');
export const countryCode = z.string().regex(/^[A-Z]{2}$/, 'Enter two capital letters, such as BE.');
export const isoTime = z.iso.datetime({ offset: true });

/** Name of a parameter in a query: anything that needs no encoding there. */
export const parameterName = z
  .string()
  .trim()
  .min(1, 'Enter a parameter name.')
  .max(64, 'At most 64 characters.')
  .regex(/^[A-Za-z0-9_.\-~[\]]+$/, 'Use only letters, digits and _ . - ~ [ ], no spaces.');

/** Name of a sub-ID, kept by meaning and not by number. */
export const subName = z
  .string()
  .trim()
  .regex(
    /^[a-z][a-z0-9_]{0,31}$/,
    'Start with a lowercase letter, then use lowercase letters, digits and _. At most 32 characters.',
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
export const zoneName = z.string().refine(isZone, 'Choose a time zone, such as Europe/Brussels.');

export const conversionStatus = z.enum(statuses);
export {
  isCounted,
  isTakenBack,
  sqlStatuses,
  statuses,
  statusOf,
  type ConversionStatus,
} from './statuses.ts';

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
