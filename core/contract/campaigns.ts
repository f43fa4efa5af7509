/** A campaign: one source, where its visits go, what they cost. */
import { z } from 'zod';
import { countryCode, currencyCode, microsText, recordName } from './primitives.ts';
import { routing } from './routing.ts';
import { isDay } from '../time/index.ts';
import { httpUrl, notes, orEmpty, percentMicros, tags } from './texts.ts';

export const sendings = ['redirect', 'page'] as const;

/** `thousand`: for 1 000 impressions. `conversion`: for each one of an event type. `share`: of the revenue of each conversion. */
export const costModels = ['none', 'visit', 'thousand', 'conversion', 'share', 'link'] as const;
/** Models with one amount. */
export const pricedModels: readonly (typeof costModels)[number][] = ['visit', 'thousand', 'conversion'];
const amountMissing: Partial<Record<(typeof costModels)[number], string>> = {
  visit: 'Enter the cost per visit.',
  thousand: 'Enter the cost per 1 000 impressions.',
  conversion: 'Enter the cost per conversion.',
};

export const campaignInput = z
  .object({
    name: recordName,
    sourceId: z.string().min(1, 'Choose the source.'),
    /** Of a campaign with one offer and no branches; empty where `routing` says where visits go. */
    offerId: z.string().default(''),
    /** Through this page; empty: straight to the offer. */
    landingPageId: z.string().default(''),
    /** Branches and splits; null for a campaign with one offer. */
    routing: routing.nullable().default(null),
    /** The routing that it shares with other campaigns; empty: it has its own. */
    sharedRoutingId: z.string().max(26).default(''),
    /** How visitors are sent on: by a redirect, or by a page that keeps from the next site where they came from. */
    sendBy: z.enum(sendings).default('redirect'),
    /** Where visitors go while no offer takes them or the campaign is paused; empty: the desk's. */
    fallbackUrl: orEmpty(httpUrl).default(''),
    costModel: z.enum(costModels).default('none'),
    /** The amount of a model that has one; with `link` the usual bid, by which odd costs are recognized; empty: none. */
    costMicros: orEmpty(microsText.refine((s) => !s.startsWith('-'), 'Enter zero or more.')).default(''),
    costCurrency: currencyCode.default('EUR'),
    /** Of the revenue, for `share`. */
    costShare: percentMicros.default('0'),
    /** For `conversion`; empty: every event type that counts as a conversion. */
    costEventTypeId: z.string().max(26).default(''),
    /** Since when this cost holds: a day, `start` for all visits, empty: since it was saved. */
    costSince: z
      .string()
      .refine((s) => s === '' || s === 'start' || isDay(s), 'Write a day as YYYY-MM-DD.')
      .default(''),
    /** Of the source's accounts, the one it runs in; empty: the source's own address. */
    account: z.string().max(80).default(''),
    /** Country of the visitors it buys, for its name; empty: any. */
    country: orEmpty(countryCode).default(''),
    /** Of the source's ad formats. */
    adFormat: z.string().max(60).default(''),
    tags,
    notes,
  })
  .superRefine((c, ctx) => {
    if (c.routing === null && c.offerId === '')
      ctx.addIssue({ code: 'custom', path: ['offerId'], message: 'Choose the offer.' });
    const missing = amountMissing[c.costModel];
    if (missing !== undefined && c.costMicros === '')
      ctx.addIssue({ code: 'custom', path: ['costMicros'], message: missing });
    if (c.costModel === 'share' && c.costShare === '0')
      ctx.addIssue({ code: 'custom', path: ['costShare'], message: 'Enter the share in percent.' });
  })
  // Where visits go is written once.
  .overwrite((c) => (c.routing === null ? c : { ...c, offerId: '', landingPageId: '' }));
export type CampaignInput = z.infer<typeof campaignInput>;
