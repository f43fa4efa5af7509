/** Texts that several records of Parts have: addresses, macros, words, notes. */
import { z } from 'zod';
import { isZone, MAX_URL_LENGTH } from './primitives.ts';

const url = z.string().trim().max(MAX_URL_LENGTH, `At most ${MAX_URL_LENGTH} characters.`);
/** A template whose literals are ASCII: the host as browsers send it, the rest percent-encoded. */
function asciiUrl(text: string): string {
  const origin = /^https?:\/\/[^/?#]*/i.exec(text)?.[0] ?? '';
  let head = origin;

  if (/[^\x00-\x7f]/.test(origin)) {
    try {
      head = new URL(origin).origin;
    } catch {
      // No host can be read out of it; the check of the link says so.
    }
  }
  return (
    head +
    text.slice(origin.length).replace(/[^\x00-\x7f]+/g, (run) => encodeURIComponent(run.toWellFormed()))
  );
}
export const httpUrl = url
  .regex(/^https?:\/\/[^\s/?#{}@]+/i, 'Start with https:// (or http://) and a host name.')
  .transform(asciiUrl);
/** Empty, or what the schema takes, with the schema's own messages, which a union would hide. */
export const orEmpty = (schema: z.ZodType<string, string>): z.ZodType<string, string> =>
  z.string().transform((text, ctx) => {
    if (text.trim() === '') return '';
    const parsed = schema.safeParse(text);
    if (parsed.success) return parsed.data;
    for (const { message } of parsed.error.issues) ctx.addIssue({ code: 'custom', message });
    return z.NEVER;
  });
export const macroText = z
  .string()
  .trim()
  .max(120, 'At most 120 characters.')
  .refine((s) => !/[\s&#?]/.test(s.replace(/^#+|#+$/g, '')), 'A macro can’t contain spaces, & or ?.');
export const word = z.string().trim().min(1, 'Enter a name.').max(120, 'At most 120 characters.');
/** Words to find records by; the same word twice counts once. */
export const tags = z
  .array(z.string().trim().min(1).max(40, 'At most 40 characters.'))
  .max(20, 'At most 20 tags.')
  .default([])
  .transform((all) => [...new Map(all.map((t) => [t.toLowerCase(), t])).values()]);
/** An address or a range (CIDR); whether it is one is checked where it is used as one. */
export const addressRange = z
  .string()
  .trim()
  .refine(isAddressRange, 'Enter an address such as 192.0.2.7 or a range such as 192.0.2.0/24.');
function isAddressRange(text: string): boolean {
  const [address = '', bits, ...more] = text.split('/');
  const isV4 = z.ipv4().safeParse(address).success;
  const isV6 = z.ipv6().safeParse(address).success;
  if ((!isV4 && !isV6) || more.length > 0) return false;
  return bits === undefined || (/^\d{1,3}$/.test(bits) && Number(bits) <= (isV4 ? 32 : 128));
}
/** A share in percent with up to six decimals, as micro-units of a percent: 2.5 % is 2500000. */
export const percentMicros = z
  .string()
  .regex(/^\d{1,9}$/, 'must be a whole number of micro-units of a percent')
  .refine((s) => Number(s) <= 100_000_000, 'At most 100 %.');
/** A token's name as it stands between the braces. */
export const tokenName = z
  .string()
  .trim()
  .regex(/^[a-z][a-z0-9_]{0,63}$/, 'Enter a token name such as source_name.');
export const hostName = z
  .string()
  .trim()
  .toLowerCase()
  .regex(
    /^(?:[a-z0-9](?:[a-z0-9-]*[a-z0-9])?\.)+[a-z0-9-]+(?::\d{1,5})?$|^(?:\d{1,3}\.){3}\d{1,3}(?::\d{1,5})?$/,
    'Enter a host name such as go.network.example.',
  );
export const isoDay = z.iso.date();
export const optionalZone = z
  .string()
  .refine(
    (s) => s === '' || isZone(s),
    'Choose a time zone, such as Europe/Brussels, or leave it empty to use the desk’s.',
  )
  .default('');
export const notes = z.string().max(4000, 'At most 4 000 characters.').default('');

/** Adds a message at the second of two alike in a list of records. */
export function twice(
  values: string[],
  list: string,
  field: string,
  ctx: z.RefinementCtx,
  /** Added to a value's place to get its index in the list. */
  shift = 0,
): void {
  const seen = new Set<string>();
  values.forEach((value, i) => {
    const key = value.trim().toLowerCase();
    if (key !== '' && seen.has(key))
      ctx.addIssue({
        code: 'custom',
        path: [list, Math.max(0, i + shift), field],
        message: `“${value}” appears twice. Remove one of them.`,
      });
    seen.add(key);
  });
}

/** Whom a statement is written to, as it stands on paper: name, address, numbers. */
export const billTo = z.string().trim().max(600, 'At most 600 characters.').default('');
