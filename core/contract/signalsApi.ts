/** Endpoints of visits, postbacks in and conversions; part of the table in api.ts. */
import { z } from 'zod';
import { statuses } from './primitives.ts';
import {
  conversionRow,
  manyAnswer,
  manyInput,
  setAsideInput,
  unknownKeyRow,
  conversionSorts,
  judgementAnswer,
  pageOf,
  postbackInRow,
  postbackOutcomes,
  wholePostbackIn,
} from './signals.ts';
import { visitKinds, visitRow, wholeVisit } from './visitRows.ts';
import { behindQuery } from './behind.ts';
import { type Endpoint, nothing } from './endpoint.ts';

/** Rows of one page at most. */
export const MAX_PAGE = 200;
const id = z.string().max(26).default('');
/** What every list takes. `kind` is empty for all; `sort` has `-` before it for descending. */
export const listQuery = {
  search: z.string().max(200).default(''),
  /** `next` of the page before. */
  cursor: z.string().max(1000).default(''),
  limit: z.coerce.number().int().min(1).max(MAX_PAGE).default(50),
  campaign: id,
};
export const byTime = z.enum(['at', '-at']).default('-at');

export const signalEndpoints = {
  listVisits: {
    method: 'get',
    path: '/visits',
    group: 'Signals',
    summary: 'Visits of a period; without one, of the last 31 days.',
    least: 'viewer',
    query: z.object({
      ...listQuery,
      kind: z.enum(['', ...visitKinds]).default(''),
      sort: byTime,
      source: id,
      /** Only the visits of so many hours; 0: of the last 31 days. */
      hours: z.coerce.number().int().min(0).max(744).default(0),
      ...behindQuery,
    }),
    answer: pageOf(visitRow),
  },
  visit: {
    method: 'get',
    path: '/visits/{id}',
    group: 'Signals',
    summary: 'One visit by click ID, with its button clicks.',
    least: 'viewer',
    answer: wholeVisit,
    refuses: ['not_found'],
  },
  eraseVisit: {
    method: 'delete',
    path: '/visits/{id}',
    group: 'Signals',
    summary: 'Erase personal data of a visit and its postbacks. The figures stay.',
    least: 'owner',
    answer: z.object({ visits: z.int(), postbacks: z.int(), conversions: z.int() }),
    refuses: ['not_found'],
  },
  eraseCarriedClick: {
    method: 'post',
    path: '/carried-clicks/erase',
    group: 'Signals',
    summary:
      'Erase personal data of a click ID that was carried over, and of its postbacks. The figures stay.',
    least: 'owner',
    body: z.object({ clickId: z.string().trim().min(1).max(500) }),
    answer: z.object({ visits: z.int(), postbacks: z.int(), conversions: z.int() }),
    refuses: ['not_found'],
  },
  listPostbacksIn: {
    method: 'get',
    path: '/postbacks-in',
    group: 'Signals',
    summary: 'Postbacks in, with outcome and reason.',
    least: 'viewer',
    query: z.object({
      ...listQuery,
      kind: z.enum(['', ...postbackOutcomes]).default(''),
      sort: byTime,
      network: id,
    }),
    answer: pageOf(postbackInRow),
  },
  postbackIn: {
    method: 'get',
    path: '/postbacks-in/{id}',
    group: 'Signals',
    summary: 'One postback, read step by step, with its visit and what it changed.',
    least: 'viewer',
    answer: wholePostbackIn,
    refuses: ['not_found'],
  },
  reprocessPostback: {
    method: 'post',
    path: '/postbacks-in/{id}/reprocess',
    group: 'Signals',
    summary: 'Reprocess a postback.',
    least: 'editor',
    answer: judgementAnswer,
    refuses: ['not_found'],
  },
  releasePostback: {
    method: 'post',
    path: '/postbacks-in/{id}/release',
    group: 'Signals',
    summary: 'Release a postback that is held because of its address, and process it.',
    least: 'editor',
    answer: judgementAnswer,
    refuses: ['not_found', 'not_held'],
  },
  reprocessPostbacks: {
    method: 'post',
    path: '/postbacks-in/reprocess',
    group: 'Signals',
    summary: 'Reprocess several postbacks.',
    least: 'editor',
    body: manyInput,
    answer: manyAnswer,
  },
  setAsidePostbacks: {
    method: 'post',
    path: '/postbacks-in/set-aside',
    group: 'Signals',
    summary: 'Set aside postbacks that you can’t repair. They no longer count as needing repair.',
    least: 'editor',
    body: setAsideInput,
    answer: manyAnswer,
  },
  listUnknownKeys: {
    method: 'get',
    path: '/unknown-keys',
    group: 'Signals',
    summary: 'Requests with unknown keys: how often each key was used, when, and from which country.',
    least: 'viewer',
    answer: z.array(unknownKeyRow),
  },
  dismissUnknownKey: {
    method: 'post',
    path: '/unknown-keys/dismiss',
    group: 'Signals',
    summary: 'Remove an unknown key from the list. It comes back if a request uses it again.',
    least: 'editor',
    body: unknownKeyRow.pick({ kind: true, key: true, host: true }),
    answer: nothing,
    refuses: ['not_found'],
  },
  listConversions: {
    method: 'get',
    path: '/conversions',
    group: 'Signals',
    summary: 'Conversions, each once.',
    least: 'viewer',
    query: z.object({
      ...listQuery,
      kind: z.enum(['', ...statuses]).default(''),
      sort: z.enum([...conversionSorts, ...conversionSorts.map((s) => `-${s}` as const)]).default('-at'),
      offer: id,
      network: id,
      tests: z.enum(['', 'only', 'none']).default(''),
      partner: id,
      /** By the partner payout; `any`: those for which one is paid. */
      payout: z.enum(['', 'any', ...statuses]).default(''),
      ...behindQuery,
      /** The day by which a conversion is in the period: of its visit, or its own. */
      dayOf: z.enum(['visit', 'conversion']).default('visit'),
    }),
    answer: pageOf(conversionRow),
  },
} as const satisfies Record<string, Endpoint>;
