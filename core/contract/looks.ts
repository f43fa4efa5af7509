/** Looking at an offer as a visitor from another country, through own proxies; and offers that wait for the partner's page. */
import { z } from 'zod';
import { type Endpoint, nothing } from './endpoint.ts';
import { countryCode, isoTime, recordId } from './primitives.ts';
import { followedHop, testVisitor } from './setup.ts';
import { orEmpty } from './texts.ts';

export const MAX_PROXIES = 260;

/** One for each country. */
export const proxyInput = z.object({
  country: countryCode,
  address: z
    .string()
    .trim()
    .max(260)
    .regex(/^[a-z0-9.-]{1,253}:\d{1,5}$/i, 'Enter host and port, such as proxy.example:8080.'),
  user: z.string().trim().max(200).default(''),
});
/** `password`: empty keeps the one that is there, as long as the address stays. It is never told again. */
export const proxySaved = proxyInput.extend({ password: z.string().max(500).default('') });
export const proxyRow = proxyInput.extend({ id: recordId, hasPassword: z.boolean() });
export type ProxyRow = z.infer<typeof proxyRow>;

export const lookInput = testVisitor
  .pick({ device: true })
  /** Empty: without a proxy, from where this server is. */
  .extend({ country: orEmpty(countryCode).default('') });
export const lookAnswer = z.object({
  /** Of no visit: whatever the partner tells of it matches nothing. */
  clickId: recordId,
  hops: z.array(followedHop),
  isFound: z.boolean(),
  sentence: z.string(),
  title: z.string(),
  text: z.string(),
  isThroughProxy: z.boolean(),
});
export type LookAnswer = z.infer<typeof lookAnswer>;

/** How the last look at an offer that waits for its partner went. */
export const offerWait = z.object({
  lookedAt: isoTime.nullable(),
  /** Its page answers with the expected words since then. */
  readyAt: isoTime.nullable(),
  sentence: z.string(),
});
export type OfferWait = z.infer<typeof offerWait>;

export const looksEndpoints = {
  listProxies: {
    method: 'get',
    path: '/proxies',
    group: 'Desk',
    summary: 'Proxies of the desk, by country.',
    least: 'viewer',
    answer: z.array(proxyRow),
  },
  saveProxy: {
    method: 'post',
    path: '/proxies',
    group: 'Desk',
    summary: 'Add the proxy of a country, or change it. An empty password keeps the one that is there.',
    least: 'editor',
    body: proxySaved,
    answer: z.array(proxyRow),
  },
  removeProxy: {
    method: 'delete',
    path: '/proxies/{id}',
    group: 'Desk',
    summary: 'Delete a proxy.',
    least: 'editor',
    answer: nothing,
    refuses: ['not_found'],
  },
  lookAtOffer: {
    method: 'post',
    path: '/parts/offer/{id}/look',
    group: 'Parts',
    summary:
      'Open the link of an offer as a visitor would, through the proxy of a country, and tell what came.',
    least: 'editor',
    body: lookInput,
    answer: lookAnswer,
    refuses: ['not_found'],
  },
  offerWait: {
    method: 'get',
    path: '/parts/offer/{id}/wait',
    group: 'Parts',
    summary: 'How the last look at an offer that waits for its partner went.',
    least: 'viewer',
    answer: offerWait,
    refuses: ['not_found'],
  },
  lookNow: {
    method: 'post',
    path: '/parts/offer/{id}/wait',
    group: 'Parts',
    summary: 'Look now whether the page of the offer has the expected words.',
    least: 'editor',
    answer: offerWait,
    refuses: ['not_found'],
  },
} as const satisfies Record<string, Endpoint>;
