/** What partners are paid for the conversions of an offer, by event type; how much, and who decides. */
import { z } from 'zod';
import { countryCode, microsText } from './primitives.ts';
import { orEmpty, percentMicros, twice } from './texts.ts';

/**
 * `fixed`: an amount in the offer's currency; `share`: of what the advertiser pays, in its currency; `sale`: a share of what the
 * buyer paid, where the advertiser tells it.
 */
export const partnerPays = ['fixed', 'share', 'sale'] as const;

/**
 * Who decides whether a partner is paid for a conversion. What the advertiser takes back is paid to nobody, whoever decides.
 */
export const payoutApprovals = {
  advertiser: {
    label: 'when the advertiser approves',
    meaning: 'The payout gets the status that the advertiser gives the conversion.',
  },
  member: {
    label: 'when a member approves',
    meaning: 'The payout stays on hold until a member of this desk decides.',
  },
  days: {
    label: 'after a number of days',
    meaning:
      'The payout stays on hold. Tracheon approves it after these days unless the advertiser or a member rejects it.',
  },
} as const;
export type PayoutApproval = keyof typeof payoutApprovals;

const amount = z.object({
  pays: z.enum(partnerPays).default('fixed'),
  /** `fixed`: the amount; otherwise empty. */
  amountMicros: orEmpty(
    microsText.refine((s) => !s.startsWith('-') && BigInt(s) > 0n, 'Enter an amount above zero.'),
  ).default(''),
  /** `share` and `sale`: how much of it. */
  percent: percentMicros.default('0'),
});
export type PartnerAmount = z.infer<typeof amount>;

/** In micro-units of a percent: all of it. */
export const WHOLE_PERCENT = 100_000_000;

const payable = amount.extend({
  eventTypeId: z.string().min(1, 'Choose the event type.'),
  approval: z
    .enum(Object.keys(payoutApprovals) as [PayoutApproval, ...PayoutApproval[]])
    .default('advertiser'),
  /** `days`: so many after the conversion. */
  afterDays: z.number().int().min(1, 'Enter at least 1 day.').max(365, 'At most 365 days.').default(14),
  /** A fixed payout above what the offer pays is a loss with each conversion: only on purpose. */
  mayExceedRevenue: z.boolean().default(false),
  /** Amounts that differ from it: of a partner, of a country, or of a partner in a country. */
  exceptions: z
    .array(
      amount.extend({
        /** Empty: every partner. */
        partnerId: z.string().default(''),
        /** Empty: every country. */
        country: orEmpty(countryCode).default(''),
      }),
    )
    .max(200)
    .default([]),
});
export type Payable = z.infer<typeof payable>;
export const partnerPayouts = z.array(payable).max(60).default([]);

interface Revenue {
  payoutMode: 'fixed' | 'reported';
  payoutMicros: string;
  payouts: { eventTypeId: string; country: string; amountMicros: string; validFrom: string }[];
  partnerPayouts: Payable[];
}

/** The least that a fixed offer pays for the event type now, in whatever country; null where only the advertiser knows. */
function leastRevenue({ payoutMode, payoutMicros, payouts }: Revenue, eventTypeId: string): bigint | null {
  if (payoutMode !== 'fixed') return null;
  const own = payouts.filter((r) => r.eventTypeId === eventTypeId);
  const rows = own.length > 0 ? own : payouts.filter((r) => r.eventTypeId === '');
  const newest = new Map<string, { amountMicros: string; validFrom: string }>();
  for (const row of rows) {
    const before = newest.get(row.country);
    if (!before || before.validFrom < row.validFrom) newest.set(row.country, row);
  }
  // A row for any country stands in for the plain amount.
  const amounts = [...newest.values()].map((r) => r.amountMicros);
  if (!newest.has('') && payoutMicros !== '') amounts.push(payoutMicros);
  const least = amounts
    .filter((a) => /^\d+$/.test(a))
    .map(BigInt)
    .sort((a, b) => (a < b ? -1 : 1));
  return least[0] ?? null;
}

/** What the fields cannot say alone. */
export function checkPartnerPayouts(offer: Revenue, ctx: z.RefinementCtx): void {
  const refuse = (path: (string | number)[], message: string): void =>
    void ctx.addIssue({ code: 'custom', path: ['partnerPayouts', ...path], message });
  twice(
    offer.partnerPayouts.map((p) => p.eventTypeId),
    'partnerPayouts',
    'eventTypeId',
    ctx,
  );
  for (const [i, p] of offer.partnerPayouts.entries()) {
    const revenue = leastRevenue(offer, p.eventTypeId);
    const seen = new Set<string>();
    for (const [path, one] of [
      [[i], p] as const,
      ...p.exceptions.map((e, n) => [[i, 'exceptions', n], e] as const),
    ]) {
      if (one.pays === 'fixed' && one.amountMicros === '')
        refuse([...path, 'amountMicros'], 'Enter the amount that partners get.');
      if (one.pays !== 'fixed' && BigInt(one.percent) === 0n)
        refuse([...path, 'percent'], 'Enter a share above 0 and up to 100 %.');
      const isLoss = one.pays === 'fixed' && one.amountMicros !== '' && revenue !== null;
      if (isLoss && BigInt(one.amountMicros) > revenue && !p.mayExceedRevenue)
        refuse(
          [...path, 'amountMicros'],
          'This is more than the advertiser pays for a conversion. Lower it, or allow it below.',
        );
    }
    p.exceptions.forEach((e, n) => {
      const of = `${e.partnerId}|${e.country}`;
      if (e.partnerId === '' && e.country === '')
        refuse([i, 'exceptions', n, 'partnerId'], 'Choose a partner or a country.');
      else if (seen.has(of))
        refuse(
          [i, 'exceptions', n, 'partnerId'],
          'Another exception above has the same partner and country. Change or remove one of them.',
        );
      seen.add(of);
    });
  }
}
