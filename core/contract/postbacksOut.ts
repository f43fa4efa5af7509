/** Postbacks out: the list, sending again, what exactly would be sent, and how each source takes them. */
import { z } from 'zod';
import { nothing, type Endpoint } from './endpoint.ts';
import { byTime, listQuery } from './signalsApi.ts';
import { recordId } from './primitives.ts';
import {
  pageOf,
  manyAnswer,
  manyInput,
  postbackOutRow,
  postbackOutStates,
  setAsideInput,
} from './signals.ts';

/** What is sent, word for word; values that are kept encrypted are not shown. */
export const postbackPreview = z.object({
  method: z.enum(['GET', 'POST']),
  url: z.string(),
  headers: z.array(z.object({ name: z.string(), value: z.string() })),
  body: z.string(),
  /** The conversion with which it was filled; null where the source has none yet, and the values are made up. */
  conversion: z
    .object({ id: recordId, at: z.string(), status: z.string(), campaignName: z.string() })
    .nullable(),
  /** Why the source would get no postback for it; empty when it would. */
  whyNot: z.string(),
});
export type PostbackPreview = z.infer<typeof postbackPreview>;

/** How one source took the postbacks of the last days. */
export const sourceHealth = z.object({
  sourceId: recordId,
  sourceName: z.string(),
  delivered: z.int(),
  waiting: z.int(),
  gaveUp: z.int(),
  /** Half of its answers took no longer; null without any. */
  medianMs: z.int().nullable(),
  lastDeliveredAt: z.string().nullable(),
  /** The newest attempt that did not succeed; null without any. */
  lastFailure: z.object({ at: z.string(), result: z.string() }).nullable(),
});
export type SourceHealth = z.infer<typeof sourceHealth>;
export const HEALTH_DAYS = 7;
export const MAX_SECRET_LENGTH = 1000;

export const postbackOutEndpoints = {
  listPostbacksOut: {
    method: 'get',
    path: '/postbacks-out',
    group: 'Signals',
    summary: 'Postbacks out, with each attempt.',
    least: 'viewer',
    query: z.object({
      ...listQuery,
      kind: z.enum(['', ...postbackOutStates]).default(''),
      sort: byTime,
      source: z.string().max(26).default(''),
      /** Only what was sent because of one import, repair or change by hand. */
      batch: z.string().max(26).default(''),
    }),
    answer: pageOf(postbackOutRow),
  },
  retryPostbacksOut: {
    method: 'post',
    path: '/postbacks-out/retry',
    group: 'Signals',
    summary:
      'Retry postbacks out that Tracheon gave up on. Tracheon builds each URL anew from the source’s current postback URL.',
    least: 'editor',
    body: manyInput,
    answer: manyAnswer,
  },
  retryPostbackOut: {
    method: 'post',
    path: '/postbacks-out/{id}/retry',
    group: 'Signals',
    summary: 'Retry one postback out that Tracheon gave up on. Tracheon builds its URL anew.',
    least: 'editor',
    answer: nothing,
    refuses: ['not_found', 'nothing_to_send'],
  },
  resendPostbacksOut: {
    method: 'post',
    path: '/postbacks-out/resend',
    group: 'Signals',
    summary:
      'Send delivered postbacks once more, with the same Idempotency-Key. Tracheon builds each request anew from the source’s current settings.',
    least: 'editor',
    body: manyInput,
    answer: manyAnswer,
  },
  sourcesHealth: {
    method: 'get',
    path: '/postbacks-out/health',
    group: 'Signals',
    summary: `How each source took the postbacks of the last ${HEALTH_DAYS} days.`,
    least: 'viewer',
    answer: z.array(sourceHealth),
  },
  previewPostback: {
    method: 'post',
    path: '/parts/source/{id}/preview-postback',
    group: 'Signals',
    summary:
      'The exact request that a source would get for one of its conversions, with settings that need not be saved yet. It sends nothing.',
    least: 'editor',
    body: z.object({
      body: z.unknown(),
      /** Empty: the newest conversion of this source. */
      conversionId: z.union([z.literal(''), recordId]).default(''),
    }),
    answer: postbackPreview,
    refuses: ['not_found'],
  },
  conversionFile: {
    method: 'get',
    path: '/parts/source/{id}/conversion-file',
    group: 'Signals',
    summary: 'The secret address at which a source fetches its conversions; empty while it has none.',
    least: 'editor',
    answer: z.object({ url: z.string() }),
    refuses: ['not_found'],
  },
  keepSecret: {
    method: 'post',
    path: '/secrets',
    group: 'Parts',
    summary:
      'Keep a value for headers of postbacks out encrypted. The answer is its ID; the value is never given out again.',
    least: 'editor',
    body: z.object({
      value: z
        .string()
        .trim()
        .min(1, 'Enter a value.')
        .max(MAX_SECRET_LENGTH, `At most ${MAX_SECRET_LENGTH} characters.`)
        .regex(/^[\x20-\x7e]*$/, 'Use only plain ASCII characters.'),
    }),
    answer: z.object({ id: recordId }),
  },
  setAsidePostbacksOut: {
    method: 'post',
    path: '/postbacks-out/set-aside',
    group: 'Signals',
    summary: 'Set aside postbacks out that Tracheon gave up on. Tracheon does not send them any more.',
    least: 'editor',
    body: setAsideInput,
    answer: manyAnswer,
  },
} as const satisfies Record<string, Endpoint>;
