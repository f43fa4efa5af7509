/** Tracking domains: the hosts under which a desk's links are given out. */
import { z } from 'zod';
import { isoTime, recordId } from './primitives.ts';
import { httpUrl, orEmpty } from './texts.ts';

/** Scheme and host, maybe a port; nothing behind it. */
const origin = z
  .string()
  .trim()
  .toLowerCase()
  .transform((s) => s.replace(/\/$/, ''))
  .pipe(
    z
      .string()
      .regex(
        /^https?:\/\/[a-z0-9.-]+(?::\d{1,5})?$/,
        'Enter a domain such as https://go.example.com, without a path.',
      ),
  );

export const domainInput = z.object({
  origin,
  isDefault: z.boolean().default(false),
  /** Where unknown keys on this domain lead; empty: a plain sentence. */
  fallbackUrl: orEmpty(httpUrl).default(''),
  /** Paths of links that ads carry already, each with the campaign to which it leads. */
  paths: z
    .array(
      z.object({
        path: z
          .string()
          .trim()
          .max(200, 'At most 200 characters.')
          .regex(/^\/[A-Za-z0-9._~!$'()*+,;=:@%/-]+$/, 'A path such as /go/spring, without ? and #.')
          .refine(
            (p) => !/^\/(v|b|seen|in|arrive)(\/|$)|^\/(healthz|page\.js)$/.test(p),
            'Tracheon uses this path itself. Choose another one.',
          ),
        campaignId: recordId,
      }),
    )
    .max(200)
    .default([]),
});
export type DomainInput = z.infer<typeof domainInput>;

/** What a look at a domain found. */
export const domainCheck = z.object({
  at: isoTime,
  /** `ok`: it answers as ours. */
  result: z.enum(['ok', 'not_resolved', 'no_answer', 'another_server', 'bad_certificate']),
  sentence: z.string(),
  addresses: z.array(z.string()),
  /** Days for which its certificate is still good; null without https. */
  certificateDays: z.int().nullable(),
});
export type DomainCheck = z.infer<typeof domainCheck>;

export const domainRow = domainInput.extend({
  /** Empty for the address under which this server itself listens; it is always there. */
  id: z.union([z.literal(''), recordId]),
  check: domainCheck.nullable(),
});
export type DomainRow = z.infer<typeof domainRow>;

/** A campaign whose link stands in its source with other parameters than the source has now. */
export const pastedLink = z.object({
  campaignId: recordId,
  /** The parameter string that was pasted. */
  query: z.string(),
  pastedAt: isoTime,
  pastedBy: z.string(),
});
export type PastedLink = z.infer<typeof pastedLink>;
