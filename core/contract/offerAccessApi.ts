/** Partners' access to own offers, and who signs in at the partner page for them: as the desk sees and decides it. */
import { z } from 'zod';
import { email } from './accounts.ts';
import type { Endpoint } from './endpoint.ts';
import { nothing } from './endpoint.ts';
import { accessStates, MAX_ACCESS_NOTE, offerAccesses } from './offerAccess.ts';
import { partnerPostbackMethods, toldStatuses } from './partnerPage/index.ts';
import { isoTime, recordId, recordName } from './primitives.ts';

const note = z.string().trim().max(MAX_ACCESS_NOTE, `At most ${MAX_ACCESS_NOTE} characters.`).default('');

export const accessRow = z.object({
  /** Of offer and partner. */
  id: z.string(),
  offerId: recordId,
  offerName: z.string(),
  partnerId: recordId,
  partnerName: z.string(),
  /** How the offer takes partners now. */
  access: z.enum(offerAccesses),
  state: z.enum([...accessStates, 'none']),
  askedAt: isoTime.nullable(),
  /** The partner's person; empty where it has gone. */
  askedBy: z.string(),
  /** What the partner wrote when it asked. */
  note: z.string(),
  decidedAt: isoTime.nullable(),
  decidedBy: z.string(),
  /** Shown to the partner. */
  reason: z.string(),
  /** null: the offer has terms that the partner has not accepted as they stand now, or it has none. */
  termsAcceptedAt: isoTime.nullable(),
  /** The partner's person; empty where it has gone. */
  termsAcceptedBy: z.string(),
  hasTerms: z.boolean(),
});
export type AccessRow = z.infer<typeof accessRow>;

/** Somebody who signs in at the partner page for a partner. */
export const partnerUser = z.object({
  /** Of the access, which ends when it is removed. */
  id: recordId,
  name: z.string(),
  email: z.string(),
  /** False until the person has chosen a password. */
  hasPassword: z.boolean(),
  addedAt: isoTime,
  lastSignIn: isoTime.nullable(),
});
export type PartnerUser = z.infer<typeof partnerUser>;
export const partnerUserInput = z.object({ name: recordName, email });
/** The postback that a partner has set on the partner page. */
const postbackOfPartner = z.object({
  method: z.enum(partnerPostbackMethods),
  url: z.string(),
  statuses: z.array(z.enum(toldStatuses)),
  changedAt: isoTime,
  /** The partner's person; empty where it has gone. */
  changedBy: z.string(),
});
export type PostbackOfPartner = z.infer<typeof postbackOfPartner>;
/** `url`: where the person chooses a password, within a week; empty for somebody who has one already. */
const invited = z.object({ user: partnerUser, url: z.string() });

export const offerAccessEndpoints = {
  listOfferAccess: {
    method: 'get',
    path: '/offer-access',
    group: 'Parts',
    summary:
      'Which partners have asked for own offers, and what was decided; or of one partner every own offer.',
    least: 'viewer',
    query: z.object({
      partnerId: z.union([z.literal(''), recordId]).default(''),
      offerId: z.union([z.literal(''), recordId]).default(''),
    }),
    answer: z.array(accessRow),
  },
  decideOfferAccess: {
    method: 'post',
    path: '/offer-access',
    group: 'Parts',
    summary: 'Give a partner access to an own offer, refuse it, or end it.',
    least: 'editor',
    body: z.object({
      offerId: recordId,
      partnerId: recordId,
      from: z.enum([...accessStates, 'none']),
      to: z.enum(accessStates),
      reason: note,
    }),
    answer: accessRow,
    refuses: ['not_found', 'access_moved'],
  },
  listPartnerUsers: {
    method: 'get',
    path: '/partners/{id}/users',
    group: 'Parts',
    summary: 'Who signs in at the partner page for a partner.',
    least: 'viewer',
    answer: z.object({ users: z.array(partnerUser), origin: z.string() }),
    refuses: ['not_found'],
  },
  postbackOfPartner: {
    method: 'get',
    path: '/partners/{id}/postback',
    group: 'Parts',
    summary: 'The postback that a partner has set for its conversions; null: it has set none.',
    least: 'viewer',
    answer: z.object({ postback: postbackOfPartner.nullable() }),
    refuses: ['not_found'],
  },
  addPartnerUser: {
    method: 'post',
    path: '/partners/{id}/users',
    group: 'Parts',
    summary: 'Let a person sign in at the partner page for a partner.',
    least: 'editor',
    body: partnerUserInput,
    answer: invited,
    status: 201,
    refuses: ['not_found', 'name_taken'],
  },
  removePartnerUser: {
    method: 'delete',
    path: '/partner-users/{id}',
    group: 'Parts',
    summary: 'End the access of a person to the partner page, and all sessions of it.',
    least: 'editor',
    answer: nothing,
    refuses: ['not_found'],
  },
  linkForPartnerUser: {
    method: 'post',
    path: '/partner-users/{id}/password-link',
    group: 'Parts',
    summary: 'A link with which a person of a partner chooses a new password. It works once.',
    least: 'editor',
    answer: z.object({ url: z.string(), expiresAt: isoTime }),
    refuses: ['not_found', 'member_elsewhere'],
  },
} as const satisfies Record<string, Endpoint>;
