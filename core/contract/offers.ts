/** An offer: what is sold, and what it pays. An event type: what can be paid for. */
import { z } from 'zod';
import { countryCode, currencyCode, microsText, recordName } from './primitives.ts';
import { httpUrl, notes, orEmpty } from './texts.ts';

export const offerInput = z
  .object({
    name: recordName,
    networkId: z.string().min(1, 'Choose the network.'),
    link: httpUrl,
    countries: z.array(countryCode).max(250).default([]),
    payoutMode: z.enum(['fixed', 'reported']).default('reported'),
    /** Fixed amount, or what counts when the call tells none; empty: none. */
    payoutMicros: orEmpty(microsText.refine((s) => !s.startsWith('-'), 'Not below zero.')).default(''),
    currency: currencyCode.default('EUR'),
    /** Days after the visit within which a new conversion is accepted. */
    windowDays: z.number().int().min(1).max(365).default(90),
    notes,
  })
  .superRefine((o, ctx) => {
    if (o.payoutMode === 'fixed' && o.payoutMicros === '')
      ctx.addIssue({ code: 'custom', path: ['payoutMicros'], message: 'A fixed payout needs its amount.' });
  });
export type OfferInput = z.infer<typeof offerInput>;

export const eventTypeInput = z.object({
  name: recordName,
  word: z.string().trim().min(1, 'Which word comes over the wire?').max(64),
  repeats: z.boolean().default(false),
  countsAsConversion: z.boolean().default(true),
  countsAsRevenue: z.boolean().default(true),
});
export type EventTypeInput = z.infer<typeof eventTypeInput>;
