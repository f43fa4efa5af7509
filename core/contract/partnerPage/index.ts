/** The API of the partner page: what people of a partner see and do. It has a listener, sessions and rights of its own. */
import { z } from 'zod';
import { newPasswordInput, passwordInput, signInInput } from '../accounts.ts';
import { billingLine, billingOpen, billingStatement } from '../billing.ts';
import type { Endpoint } from '../endpoint.ts';
import { nothing } from '../endpoint.ts';
import { accessStates, MAX_ACCESS_NOTE } from '../offerAccess.ts';
import { isoTime, microsText, recordId } from '../primitives.ts';
import { httpUrl, orEmpty } from '../texts.ts';
import { pageOf } from '../signals.ts';
import { isDay, daysIn } from '../../time/index.ts';

/** `least`: whether one must be signed in. */
export type PartnerEndpoint = Pick<
  Endpoint,
  'method' | 'path' | 'summary' | 'query' | 'body' | 'answer' | 'refuses'
> & {
  least: 'partner' | 'anyone';
};

export const partnerMe = z.object({
  user: z.object({ name: z.string(), email: z.string() }),
  desk: z.object({ id: recordId, name: z.string(), zone: z.string(), currency: z.string() }),
  partner: z.object({ id: recordId, name: z.string() }),
  /** For whom else the same person signs in. */
  others: z.array(z.object({ id: recordId, deskName: z.string(), partnerName: z.string() })),
  csrfToken: z.string(),
});
export type PartnerMe = z.infer<typeof partnerMe>;

/** Whether visitors reach the offer now. */
export const promotedStates = ['live', 'not begun', 'paused', 'ended'] as const;

export const promotedOffer = z.object({
  id: recordId,
  name: z.string(),
  category: z.string(),
  /** Headings, paragraphs, lists, bold and emphasis; never HTML. */
  description: z.string(),
  /** A plain page; visits to it are not counted. Empty: none. */
  previewUrl: z.string(),
  /** Empty: any. */
  countries: z.array(z.string()),
  state: z.enum(promotedStates),
  startsOn: z.string(),
  endsOn: z.string(),
  /** What this partner gets, by event type. */
  pays: z.array(z.object({ event: z.string(), amount: z.string(), approval: z.string() })),
  /** This partner's own ones, in words. */
  caps: z.array(z.string()),
  /** `open`: to every partner; `none`: one can ask for it. */
  access: z.enum([...accessStates, 'open', 'none']),
  reason: z.string(),
  terms: z.string(),
  /** When this partner accepted the terms as they stand; null: it has not. */
  termsAcceptedAt: isoTime.nullable(),
});
export type PromotedOffer = z.infer<typeof promotedOffer>;

export const promotedLink = z.object({
  campaignId: recordId,
  /** With the partner's ID; values of `parameters` are put behind it. */
  link: z.string(),
  parameters: z.array(z.object({ parameter: z.string(), name: z.string() })),
});
export type PromotedLink = z.infer<typeof promotedLink>;

const day = z.string().refine(isDay, 'Write a day as YYYY-MM-DD.');
/** Longest period of a report here. */
const MAX_DAYS = 400;
/** By day, by offer, by event type, or by a sub-ID. */
export const partnerBreakdown = z
  .string()
  .regex(/^(day|offer|event|sub_[a-z][a-z0-9_]{0,62})$/, 'There is nothing of this name to break down by.');
const partnerSums = {
  /** null: not known right now. */
  visits: z.int().nullable(),
  conversions: z.int(),
  pending: z.int(),
  approved: z.int(),
  rejected: z.int(),
  /** By currency. */
  payouts: z.array(z.object({ currency: z.string(), pendingMicros: microsText, approvedMicros: microsText })),
};
export const partnerNumbersRow = z.object({ id: z.string(), name: z.string(), ...partnerSums });
export type PartnerNumbersRow = z.infer<typeof partnerNumbersRow>;
export const partnerNumbers = z.object({
  rows: z.array(partnerNumbersRow),
  total: z.object(partnerSums),
  /** There are more rows than these. */
  isCut: z.boolean(),
  /** Sub-IDs that this partner's links can have. */
  subs: z.array(z.string()),
});
export type PartnerNumbers = z.infer<typeof partnerNumbers>;

/** Nobody's name of the desk, and no ID of its statements but the number. */
export const ownStatement = billingStatement.omit({
  issuedBy: true,
  paymentId: true,
  side: true,
  partyId: true,
});
export type OwnStatement = z.infer<typeof ownStatement>;
/** Without what the advertiser calls it. */
export const ownLine = billingLine.omit({ transaction: true, clickId: true });
export type OwnLine = z.infer<typeof ownLine>;

/** The statuses of a payout that a partner is told. */
export const toldStatuses = ['pending', 'approved', 'rejected'] as const;
/** `get`: our server calls the address; `pixel`: the buyer's browser loads it as an image, where the advertiser has our pixel. */
export const partnerPostbackMethods = ['get', 'pixel'] as const;
export const partnerPostbackInput = z
  .object({
    method: z.enum(partnerPostbackMethods).default('get'),
    /** With our tokens for partners; empty: no postback. */
    url: orEmpty(httpUrl).default(''),
    statuses: z.array(z.enum(toldStatuses)).default(['pending', 'approved', 'rejected']),
  })
  .superRefine((p, ctx) => {
    if (p.url !== '' && p.statuses.length === 0)
      ctx.addIssue({ code: 'custom', path: ['statuses'], message: 'Choose at least one status.' });
  });
export type PartnerPostbackInput = z.infer<typeof partnerPostbackInput>;

export const ownConversion = z.object({
  id: recordId,
  at: isoTime,
  /** null: it was told by the partner's ID, without a visit. */
  visitAt: isoTime.nullable(),
  offerName: z.string(),
  eventName: z.string(),
  status: z.enum(toldStatuses),
  payoutMicros: microsText,
  currency: z.string(),
  /** The partner's own click ID; empty for none. */
  clickId: z.string(),
  subs: z.record(z.string(), z.string()),
  /** Why a member of the desk decided as the status says; empty where nobody did. */
  reason: z.string(),
  /** When a payout that waits is approved unless it is rejected; null: when somebody decides. */
  dueAt: isoTime.nullable(),
});
export type OwnConversion = z.infer<typeof ownConversion>;

export const sentToPartner = z.object({
  id: recordId,
  at: isoTime,
  status: z.string(),
  url: z.string(),
  state: z.string(),
  /** The last answer, or why there is none; empty before the first try. */
  result: z.string(),
});
export type SentToPartner = z.infer<typeof sentToPartner>;

export const partnerEndpoints = {
  signIn: {
    method: 'post',
    path: '/sign-in',
    summary: 'Sign in.',
    least: 'anyone',
    body: signInInput,
    answer: z.object({ csrfToken: z.string() }),
    refuses: ['wrong_sign_in', 'too_many_tries'],
  },
  signOut: { method: 'post', path: '/sign-out', summary: 'Sign out.', least: 'anyone', answer: nothing },
  usePasswordLink: {
    method: 'post',
    path: '/new-password',
    summary: 'Choose a password by a link.',
    least: 'anyone',
    body: newPasswordInput,
    answer: nothing,
    refuses: ['link_used', 'too_many_tries'],
  },
  me: {
    method: 'get',
    path: '/me',
    summary: 'Who is signed in, and for which partner.',
    least: 'partner',
    answer: partnerMe,
  },
  changePassword: {
    method: 'put',
    path: '/me/password',
    summary: 'Change the password. All other sessions end.',
    least: 'partner',
    body: passwordInput,
    answer: nothing,
    refuses: ['wrong_sign_in', 'too_many_tries'],
  },
  switchPartner: {
    method: 'put',
    path: '/me/partner',
    summary: 'Go on for another partner.',
    least: 'partner',
    body: z.object({ accessId: recordId }),
    answer: nothing,
    refuses: ['not_found'],
  },
  offers: {
    method: 'get',
    path: '/offers',
    summary: 'Offers that the partner may promote or ask for.',
    least: 'partner',
    answer: z.array(promotedOffer),
  },
  askForOffer: {
    method: 'post',
    path: '/offers/{id}/ask',
    summary: 'Ask for an offer.',
    least: 'partner',
    body: z.object({
      note: z.string().trim().max(MAX_ACCESS_NOTE, `At most ${MAX_ACCESS_NOTE} characters.`).default(''),
    }),
    answer: promotedOffer,
    refuses: ['not_found', 'access_moved'],
  },
  acceptTerms: {
    method: 'post',
    path: '/offers/{id}/accept-terms',
    summary: 'Accept the terms of an offer, as they were read.',
    least: 'partner',
    body: z.object({ terms: z.string() }),
    answer: promotedOffer,
    refuses: ['not_found', 'terms_changed'],
  },
  links: {
    method: 'get',
    path: '/offers/{id}/links',
    summary: 'Links of the partner for an offer. None without access, or before its terms are accepted.',
    least: 'partner',
    answer: z.array(promotedLink),
    refuses: ['not_found'],
  },
  numbers: {
    method: 'get',
    path: '/numbers',
    summary: 'Visits by their day; conversions and payouts by the day of the conversion.',
    least: 'partner',
    query: z
      .object({ from: day, to: day, by: partnerBreakdown })
      .refine((p) => p.from <= p.to && daysIn(p) <= MAX_DAYS, {
        error: `The first day must not be after the last one, and a period has at most ${MAX_DAYS} days.`,
        path: ['from'],
      }),
    answer: partnerNumbers,
  },
  conversions: {
    method: 'get',
    path: '/conversions',
    summary: 'Conversions that the partner is paid for, newest first.',
    least: 'partner',
    query: z.object({
      cursor: z.string().max(26).default(''),
      limit: z.coerce.number().int().min(1).max(200).default(50),
      status: z.enum(['', ...toldStatuses]).default(''),
    }),
    answer: pageOf(ownConversion),
  },
  postback: {
    method: 'get',
    path: '/postback',
    summary: 'The postback of the partner, and the postbacks that Tracheon sent last.',
    least: 'partner',
    answer: z.object({
      postback: partnerPostbackInput,
      /** Sub-IDs that its links can have. */
      subs: z.array(z.string()),
      /** Newest first. */
      sent: z.array(sentToPartner),
    }),
  },
  savePostback: {
    method: 'put',
    path: '/postback',
    summary: 'Change the postback of the partner.',
    least: 'partner',
    body: partnerPostbackInput,
    answer: partnerPostbackInput,
    refuses: ['invalid_input'],
  },
  tryPostback: {
    method: 'post',
    path: '/postback/test',
    summary: 'Call a postback URL once, with made-up values.',
    least: 'partner',
    body: z.object({ url: httpUrl }),
    answer: z.object({
      /** As it was called. */
      url: z.string(),
      isTaken: z.boolean(),
      says: z.string(),
    }),
    refuses: ['invalid_input', 'too_many_tries'],
  },
  statements: {
    method: 'get',
    path: '/statements',
    summary: 'Statements to the partner, and what none of them holds yet.',
    least: 'partner',
    answer: z.object({
      open: z.array(billingOpen.omit({ partyId: true, partyName: true })),
      statements: z.array(ownStatement),
    }),
  },
  statement: {
    method: 'get',
    path: '/statements/{id}',
    summary: 'One statement.',
    least: 'partner',
    answer: ownStatement,
    refuses: ['not_found'],
  },
  statementLines: {
    method: 'get',
    path: '/statements/{id}/lines',
    summary: 'What a statement holds, by conversion.',
    least: 'partner',
    query: z.object({
      cursor: z.string().max(1000).default(''),
      limit: z.coerce.number().int().min(1).max(1000).default(200),
    }),
    answer: pageOf(ownLine),
    refuses: ['not_found'],
  },
} as const satisfies Record<string, PartnerEndpoint>;
export type PartnerEndpointName = keyof typeof partnerEndpoints;
export type PartnerEndpointOf<N extends PartnerEndpointName> = (typeof partnerEndpoints)[N];
