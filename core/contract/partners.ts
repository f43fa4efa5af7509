/** A partner: a person or company that sends visitors to the desk's own offers. */
import { z } from 'zod';
import { email } from './accounts.ts';
import { recordName } from './primitives.ts';
import { notes, orEmpty, tags } from './texts.ts';

/** As advertisers tell it; compared as it stands. */
const knownAs = z.string().trim().min(1, 'Enter the ID.').max(255);

export const partnerInput = z
  .object({
    name: recordName,
    email: orEmpty(email).default(''),
    /** Further IDs under which advertisers tell this partner's conversions; the partner's own ID is always known. */
    /** Days from the approval of a payout until a statement takes it: for what advertisers take back. */
    payAfterDays: z
      .number('Enter a number of days.')
      .int('Enter whole days.')
      .min(0, 'Enter zero or more.')
      .max(365, 'At most 365 days.')
      .default(0),
    knownAs: z.array(knownAs).max(40).default([]),
    tags,
    notes,
  })
  .superRefine((p, ctx) => {
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
