/** Texts that several records of Parts have: addresses, macros, words, notes. */
import { z } from 'zod';
import { MAX_URL_LENGTH } from './primitives.ts';

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
  .regex(/^https?:\/\/[^\s/?#{}@]+/i, 'Begin with https:// (or http://) and a host.')
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
  .refine((s) => !/[\s&#?]/.test(s.replace(/^#+|#+$/g, '')), 'A macro has no spaces, & or ? in it.');
export const word = z.string().trim().min(1, 'Which word?').max(120, 'At most 120 characters.');
export const notes = z.string().max(4000, 'At most 4 000 characters.').default('');

/** Adds a message at the second of two alike in a list of records. */
export function twice(values: string[], list: string, field: string, ctx: z.RefinementCtx): void {
  const seen = new Set<string>();
  values.forEach((value, i) => {
    const key = value.trim().toLowerCase();
    if (key !== '' && seen.has(key))
      ctx.addIssue({ code: 'custom', path: [list, i, field], message: `“${value}” stands here twice.` });
    seen.add(key);
  });
}
