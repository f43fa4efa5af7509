/** An offer: what is sold, and what it pays. An event type: what can be paid for. */
import { z } from 'zod';
import { offerAccesses } from './offerAccess.ts';
import { checkPartnerPayouts, partnerPayouts } from './partnerPayouts.ts';
import type { ReceiptChannel } from './signals.ts';
import { countryCode, currencyCode, microsText, recordName } from './primitives.ts';
import { httpUrl, isoDay, notes, optionalZone, orEmpty, tags, twice } from './texts.ts';

const amount = microsText.refine((s) => !s.startsWith('-'), 'Enter zero or more.');

const payoutRow = z.object({
  /** Empty: any event type. */
  eventTypeId: z.string().default(''),
  /** Empty: any country. */
  country: orEmpty(countryCode).default(''),
  amountMicros: amount,
  /** First day on which it holds, in the offer's zone; empty: always. */
  validFrom: orEmpty(isoDay).default(''),
});
export type PayoutRow = z.infer<typeof payoutRow>;

/** Where conversions of an event type are told for good; what comes by another way is kept, and never added. */
export const conversionChannels = ['postbacks', 'feed', 'file'] as const;
export type ConversionChannel = (typeof conversionChannels)[number];

export const capPeriods = ['hour', 'day', 'week', 'month', 'total'] as const;
/** What a further cap counts: conversions, what the advertiser pays for them, or what partners get. */
export const capMeasures = ['conversions', 'revenue', 'payout'] as const;
/** Whose: of all visitors together, of each partner apart, or of one partner. */
export const capOwners = ['all', 'each', 'one'] as const;
const moreCap = z.object({
  who: z.enum(capOwners).default('all'),
  /** `one`: this one; otherwise empty. */
  partnerId: z.string().default(''),
  measure: z.enum(capMeasures).default('conversions'),
  count: z.number('Enter a number.').int('Enter a whole number.').min(0).max(10_000_000).default(0),
  /** In the offer's currency. */
  amountMicros: orEmpty(amount).default(''),
  period: z.enum(capPeriods).default('day'),
});
export type MoreCap = z.infer<typeof moreCap>;

/** `waiting`: the partner's page is not there yet. */
export const offerStates = ['draft', 'waiting', 'live', 'paused', 'ended'] as const;

/** Days after a visit within which a new conversion counts. */
export const DEFAULT_WINDOW_DAYS = 90;

export const offerInput = z
  .object({
    name: recordName,
    networkId: z.string().min(1, 'Choose the network.'),
    link: httpUrl,
    /** The network's own ID of the offer, by which its postbacks without a click ID name it; empty: they name it by our ID. */
    idAtNetwork: z.string().trim().max(120, 'At most 120 characters.').default(''),
    previewUrl: orEmpty(httpUrl).default(''),
    /** What is sold, in a word or two: for names of campaigns. Empty: the offer's name. */
    product: z.string().trim().max(60, 'At most 60 characters.').default(''),
    /** For partners, in simple formatting. */
    description: z.string().max(4000, 'At most 4 000 characters.').default(''),
    /** By which partners find it; empty: none. */
    category: z.string().trim().max(60, 'At most 60 characters.').default(''),
    countries: z.array(countryCode).max(250).default([]),
    /** Only a live one, between its days and under its cap, gets visitors. */
    sending: z.enum(offerStates).default('live'),
    /** `waiting`: what its page says once it is there; empty: any answer will do. */
    expectedWords: z.string().trim().max(200, 'At most 200 characters.').default(''),
    startsOn: orEmpty(isoDay).default(''),
    endsOn: orEmpty(isoDay).default(''),
    /** Conversions (pending and approved) after which it gets no more visitors; 0: no cap. */
    capCount: z.number().int().min(0).max(10_000_000).default(0),
    capPeriod: z.enum(capPeriods).default('day'),
    /** Share of the cap at which it stops already, in percent: those on their way still come. */
    capStopsAt: z.number().int().min(1).max(100).default(100),
    /** Another offer whose cap this one shares: conversions of both count, and the fields above stay unused. */
    capWithOfferId: z.string().default(''),
    /** Whose conversions count; none: those of all that count as conversions. */
    capEventTypeIds: z.array(z.string().min(1)).max(60).default([]),
    /** Beside the cap above: by money, and by partner. Whoever reaches one gets no more visitors. */
    moreCaps: z.array(moreCap).max(100).default([]),
    /** Visits after which it gets no more; 0: no cap. */
    visitCapCount: z.number().int().min(0).max(1_000_000_000).default(0),
    visitCapPeriod: z.enum(capPeriods).default('day'),
    /** Whose days, weeks and hours these are; empty: the desk's. */
    zone: optionalZone,
    /** Where visitors go while it cannot take them: another offer, else an address, else a plain page. */
    fallbackOfferId: z.string().default(''),
    fallbackUrl: orEmpty(httpUrl).default(''),
    payoutMode: z.enum(['fixed', 'reported']).default('reported'),
    /** Fixed amount, or what counts when the call tells none; empty: none. */
    payoutMicros: orEmpty(amount).default(''),
    /** Amounts that differ from it by event type, country and day. */
    payouts: z.array(payoutRow).max(200).default([]),
    currency: currencyCode.default('EUR'),
    /** What partners get for a conversion of it; an event type that is not listed pays them nothing. */
    partnerPayouts,
    /** Which partners may promote it. */
    partnerAccess: z.enum(offerAccesses).default('hidden'),
    /** What a partner accepts before it gets links; empty: nothing. */
    partnerTerms: z.string().trim().max(20_000, 'At most 20 000 characters.').default(''),
    /** By event type; one that is not listed is told by calls. */
    conversionsFrom: z
      .array(z.object({ eventTypeId: z.string().min(1), channel: z.enum(conversionChannels) }))
      .max(60)
      .default([]),
    /** Days after the visit within which a new conversion is accepted. */
    windowDays: z.number().int().min(1).max(365).default(DEFAULT_WINDOW_DAYS),
    tags,
    notes,
  })
  .superRefine((o, ctx) => {
    if (o.payoutMode === 'fixed' && o.payoutMicros === '' && o.payouts.length === 0)
      ctx.addIssue({
        code: 'custom',
        path: ['payoutMicros'],
        message: 'Enter the amount of the fixed payout.',
      });
    if (o.startsOn !== '' && o.endsOn !== '' && o.endsOn < o.startsOn)
      ctx.addIssue({ code: 'custom', path: ['endsOn'], message: 'The last day is before the first day.' });
    twice(
      o.conversionsFrom.map((t) => t.eventTypeId),
      'conversionsFrom',
      'channel',
      ctx,
    );
    checkPartnerPayouts(o, ctx);
    o.moreCaps.forEach((c, i) => {
      const refuse = (field: string, message: string): void =>
        void ctx.addIssue({ code: 'custom', path: ['moreCaps', i, field], message });
      if (c.who === 'one' && c.partnerId === '') refuse('partnerId', 'Choose the partner.');
      if (c.measure === 'conversions' && c.count === 0) refuse('count', 'Enter a number above zero.');
      if (c.measure !== 'conversions' && (c.amountMicros === '' || c.amountMicros === '0'))
        refuse('amountMicros', 'Enter an amount above zero.');
    });
    const seen = new Set<string>();
    o.payouts.forEach((p, i) => {
      const key = `${p.eventTypeId}|${p.country}|${p.validFrom}`;
      if (seen.has(key))
        ctx.addIssue({
          code: 'custom',
          path: ['payouts', i, 'amountMicros'],
          message:
            'Another row above has the same event type, country and day. Change or remove one of them.',
        });
      seen.add(key);
    });
  });
export type OfferInput = z.infer<typeof offerInput>;

/** The channel that was chosen for an event type; null where nobody has chosen. */
export const chosenChannel = (
  offer: Pick<OfferInput, 'conversionsFrom'>,
  eventTypeId: string,
): ConversionChannel | null =>
  offer.conversionsFrom.find((t) => t.eventTypeId === eventTypeId)?.channel ?? null;

/**
 * Whether what came by this way counts. Where nobody has chosen, postbacks and files both do: they meet in the same
 * conversions by click ID and transaction. A member's hand always counts.
 */
export const isByChannel = (way: ReceiptChannel, chosen: ConversionChannel | null): boolean => {
  if (way === 'hand') return true;
  if (way === 'file') return chosen === null || chosen === 'file';
  // Its rows have no transaction of the network's: beside postbacks they would count twice.
  if (way === 'feed') return chosen === 'feed';
  return chosen === null || chosen === 'postbacks';
};

export const channelOf = (
  offer: Pick<OfferInput, 'conversionsFrom'>,
  eventTypeId: string,
): ConversionChannel => chosenChannel(offer, eventTypeId) ?? 'postbacks';

export const eventTypeInput = z.object({
  name: recordName,
  word: z.string().trim().min(1, 'Enter the event name that networks send.').max(64),
  repeats: z.boolean().default(false),
  countsAsConversion: z.boolean().default(true),
  countsAsRevenue: z.boolean().default(true),
  tags,
  notes,
});
export type EventTypeInput = z.infer<typeof eventTypeInput>;
