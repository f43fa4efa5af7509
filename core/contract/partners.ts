/** A partner: a person or company that sends visitors to the desk's own offers. */
import { z } from 'zod';
import { email } from './accounts.ts';
import { recordName } from './primitives.ts';
import { billTo, notes, orEmpty, tags, twice } from './texts.ts';

/** As advertisers tell it; compared as it stands. */
const knownAs = z.string().trim().min(1, 'Enter the ID.').max(255);

export const partnerInput = z
  .object({
    name: recordName,
    email: orEmpty(email).default(''),
    /** Printed on its statements and in files of payments: address, bank account. */
    billTo,
    /** Days from the approval of a payout until a statement takes it: for what advertisers take back. */
    payAfterDays: z
      .number('Enter a number of days.')
      .int('Enter whole days.')
      .min(0, 'Enter zero or more.')
      .max(365, 'At most 365 days.')
      .default(0),
    /** Visits with one of these values are sent to no offer: they go to a fallback URL. */
    blockedSubs: z
      .array(
        z.object({
          sub: z
            .string()
            .trim()
            .regex(/^[a-z][a-z0-9_]{0,62}$/, 'Enter the name of a sub-ID, as in the source.'),
          values: z
            .array(z.string().trim().min(1).max(255))
            .min(1, 'Enter at least one value.')
            .max(1000, 'At most 1 000 values.'),
        }),
      )
      .max(20)
      .default([]),
    /** Further IDs under which advertisers tell this partner's conversions; the partner's own ID is always known. */
    knownAs: z.array(knownAs).max(40).default([]),
    tags,
    notes,
  })
  .superRefine((p, ctx) => {
    twice(
      p.blockedSubs.map((b) => b.sub),
      'blockedSubs',
      'sub',
      ctx,
    );
    p.knownAs.forEach((id, i) => {
      if (p.knownAs.indexOf(id) < i)
        ctx.addIssue({
          code: 'custom',
          path: ['knownAs', i],
          message: 'This ID is already in the list. Remove it.',
        });
    });
  });
export type PartnerInput = z.infer<typeof partnerInput>;

/** In a tracking link: the ID of the partner who sends the visitor. */
export const PARTNER_PARAMETER = 'partner';
