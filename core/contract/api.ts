/**
 * Every address of the API, once: the server mounts them from here, the OpenAPI document is made from here, and the
 * web app reads answers by the same schemas. `least` is the least role; `session` ones are closed to tokens.
 */
import { setupEndpoints } from './setupApi.ts';
import { z } from 'zod';
import {
  deskAnswer,
  deskInput,
  madeToken,
  meAnswer,
  memberInput,
  memberRoleInput,
  memberRow,
  passwordInput,
  rateInput,
  rateRow,
  signInInput,
  tokenInput,
  tokenRow,
  type Role,
} from './accounts.ts';
import { domainCheck, domainInput, domainRow, pastedLink } from './domains.ts';
import type { ErrorCode } from './errors.ts';
import { pageCheck } from './landingPages.ts';
import { importAnswer, importInput, MAX_PORTABLE_PARTS, portableFile, templateRow } from './portable.ts';
import {
  keyInput,
  partAnswer,
  partKinds,
  partVersion,
  restoreInput,
  saveEnvelope,
  stateInput,
} from './parts.ts';
import { recordId } from './primitives.ts';
import { attentionItem, campaignReport, campaignsReport, periods } from './reports.ts';
import {
  postbackInRow,
  postbackOutRow,
  conversionRow,
  judgementAnswer,
  networkSeen,
  partsSeen,
  pageOf,
  visitRow,
  wholeVisit,
} from './signals.ts';

/** Furthest step back of a report; beyond it a report by dates is the tool. */
export const MAX_STEPS_BACK = 60;
/** Rows of one page at most. */
export const MAX_PAGE = 200;

export interface Endpoint {
  method: 'get' | 'post' | 'put' | 'delete';
  /** Under /api, parameters in braces. */
  path: string;
  group: 'Sign-in' | 'Desk' | 'Parts' | 'Reports' | 'Signals' | 'Set up';
  summary: string;
  least: Role | 'anyone';
  session?: true;
  query?: z.ZodType;
  body?: z.ZodType;
  /** Named where one body schema serves all kinds of Parts and the document shows each. */
  bodyOf?: 'part' | 'partChange';
  answer: z.ZodType | 'stream';
  /** 200 unless said otherwise. */
  status?: 201;
  /** Takes Idempotency-Key: the same key and body within 24 h get the first answer again. */
  once?: true;
  /** Answers with an ETag, and takes it back as If-Match. */
  etag?: 'gives' | 'takes';
  refuses?: ErrorCode[];
}

const nothing = z.object({});
const periodQuery = z.object({
  period: z.enum(periods).default('7d'),
  /** So many whole periods earlier. */
  back: z.coerce.number().int().min(0).max(MAX_STEPS_BACK).default(0),
});
const listQuery = z.object({
  search: z.string().max(200).default(''),
  /** `next` of the page before. */
  cursor: z.string().max(26).default(''),
  limit: z.coerce.number().int().min(1).max(MAX_PAGE).default(50),
  campaign: z.string().max(26).default(''),
  /** Outcome, status or state, by list; empty: all. */
  kind: z.string().max(20).default(''),
});
export type ListInput = z.infer<typeof listQuery>;
const kindParam = z.enum(partKinds);
/** Schemas of path parameters, by name. */
export const pathParameters: Record<string, z.ZodType<string>> = { kind: kindParam, id: recordId };

const table = {
  ...setupEndpoints,
  signIn: {
    method: 'post',
    path: '/sign-in',
    group: 'Sign-in',
    summary: 'Sign in; sets the session cookie.',
    least: 'anyone',
    session: true,
    body: signInInput,
    answer: z.object({ csrfToken: z.string() }),
    refuses: ['wrong_sign_in', 'too_many_tries'],
  },
  signOut: {
    method: 'post',
    path: '/sign-out',
    group: 'Sign-in',
    summary: 'End the session.',
    least: 'anyone',
    session: true,
    answer: nothing,
  },
  me: {
    method: 'get',
    path: '/me',
    group: 'Sign-in',
    summary: 'Who asks, on which desk, in which role.',
    least: 'viewer',
    answer: meAnswer,
  },
  changePassword: {
    method: 'put',
    path: '/me/password',
    group: 'Sign-in',
    summary: 'Change the own password; other sessions end.',
    least: 'viewer',
    session: true,
    body: passwordInput,
    answer: nothing,
    refuses: ['too_many_tries'],
  },
  listTokens: {
    method: 'get',
    path: '/tokens',
    group: 'Sign-in',
    summary: 'Own tokens; an owner sees those of all members of the desk.',
    least: 'viewer',
    session: true,
    answer: z.array(tokenRow),
  },
  makeToken: {
    method: 'post',
    path: '/tokens',
    group: 'Sign-in',
    summary: 'Make a token for a script. The token is told this once.',
    least: 'viewer',
    session: true,
    body: tokenInput,
    answer: madeToken,
    status: 201,
  },
  revokeToken: {
    method: 'delete',
    path: '/tokens/{id}',
    group: 'Sign-in',
    summary: 'Revoke a token, at once.',
    least: 'viewer',
    session: true,
    answer: nothing,
    refuses: ['not_found'],
  },
  stream: {
    method: 'get',
    path: '/stream',
    group: 'Sign-in',
    summary: 'Server-sent events: which lists have moved, and how the server stands.',
    least: 'viewer',
    answer: 'stream',
  },
  desk: {
    method: 'get',
    path: '/desk',
    group: 'Desk',
    summary: 'The desk.',
    least: 'viewer',
    answer: deskAnswer,
    etag: 'gives',
  },
  changeDesk: {
    method: 'put',
    path: '/desk',
    group: 'Desk',
    summary: 'Change the desk.',
    least: 'owner',
    body: deskInput,
    answer: deskAnswer,
    etag: 'takes',
  },
  listMembers: {
    method: 'get',
    path: '/members',
    group: 'Desk',
    summary: 'Members of the desk.',
    least: 'viewer',
    answer: z.array(memberRow),
  },
  addMember: {
    method: 'post',
    path: '/members',
    group: 'Desk',
    summary: 'Add a member.',
    least: 'owner',
    body: memberInput,
    answer: memberRow,
    status: 201,
    once: true,
    refuses: ['name_taken'],
  },
  setRole: {
    method: 'put',
    path: '/members/{id}/role',
    group: 'Desk',
    summary: 'Change a member’s role.',
    least: 'owner',
    body: memberRoleInput,
    answer: nothing,
    refuses: ['not_found', 'last_owner'],
  },
  listRates: {
    method: 'get',
    path: '/rates',
    group: 'Desk',
    summary: 'Exchange rates, newest first.',
    least: 'viewer',
    answer: z.array(rateRow),
  },
  setRate: {
    method: 'put',
    path: '/rates',
    group: 'Desk',
    summary: 'Set a rate; what waited for it is converted.',
    least: 'editor',
    body: rateInput,
    answer: z.object({ converted: z.int() }),
  },
  listParts: {
    method: 'get',
    path: '/parts',
    group: 'Parts',
    summary: 'All records of Parts and all campaigns.',
    least: 'viewer',
    answer: z.array(partAnswer),
  },
  listKind: {
    method: 'get',
    path: '/parts/{kind}',
    group: 'Parts',
    summary: 'All records of one kind.',
    least: 'viewer',
    answer: z.array(partAnswer),
  },
  nameFree: {
    method: 'get',
    path: '/parts/{kind}/name-free',
    group: 'Parts',
    summary: 'Whether a name is still free.',
    least: 'viewer',
    query: z.object({ name: z.string().max(200), except: z.string().default('') }),
    answer: z.object({ free: z.boolean() }),
  },
  createPart: {
    method: 'post',
    path: '/parts/{kind}',
    group: 'Parts',
    summary: 'Make a record.',
    least: 'editor',
    body: z.unknown(),
    bodyOf: 'part',
    answer: partAnswer,
    status: 201,
    once: true,
    etag: 'gives',
    refuses: ['name_taken', 'word_taken', 'unstorable_text'],
  },
  part: {
    method: 'get',
    path: '/parts/{kind}/{id}',
    group: 'Parts',
    summary: 'One record.',
    least: 'viewer',
    answer: partAnswer,
    etag: 'gives',
    refuses: ['not_found'],
  },
  changePart: {
    method: 'put',
    path: '/parts/{kind}/{id}',
    group: 'Parts',
    summary: 'Save a record as a new version.',
    least: 'editor',
    body: saveEnvelope,
    bodyOf: 'partChange',
    answer: partAnswer,
    etag: 'takes',
    refuses: [
      'not_found',
      'name_taken',
      'word_taken',
      'changed_meanwhile',
      'version_needed',
      'unstorable_text',
    ],
  },
  setPartState: {
    method: 'put',
    path: '/parts/{kind}/{id}/state',
    group: 'Parts',
    summary: 'Stop or start a campaign; archive a record, or take it back.',
    least: 'editor',
    body: stateInput,
    answer: partAnswer,
    etag: 'takes',
    refuses: ['not_found', 'still_in_use', 'name_taken', 'word_taken'],
  },
  usedBy: {
    method: 'get',
    path: '/parts/{kind}/{id}/used-by',
    group: 'Parts',
    summary: 'What is made of this record.',
    least: 'viewer',
    answer: z.array(z.object({ id: recordId, kind: kindParam, name: z.string() })),
    refuses: ['not_found'],
  },
  listVersions: {
    method: 'get',
    path: '/parts/{kind}/{id}/versions',
    group: 'Parts',
    summary: 'Every version of a record, newest first, with who made it.',
    least: 'viewer',
    answer: z.array(partVersion),
    refuses: ['not_found'],
  },
  restoreVersion: {
    method: 'post',
    path: '/parts/{kind}/{id}/restore',
    group: 'Parts',
    summary: 'Bring an earlier version back, as a new one.',
    least: 'editor',
    body: restoreInput,
    answer: partAnswer,
    etag: 'gives',
    refuses: ['not_found', 'name_taken', 'changed_meanwhile'],
  },
  exportParts: {
    method: 'post',
    path: '/parts-export',
    group: 'Parts',
    summary: 'Records as one file, with names for IDs.',
    least: 'viewer',
    body: z.object({ ids: z.array(recordId).max(MAX_PORTABLE_PARTS) }),
    answer: portableFile,
  },
  importParts: {
    method: 'post',
    path: '/parts-import',
    group: 'Parts',
    summary: 'Make records from a file: all or nothing; a dry run says what would happen.',
    least: 'editor',
    body: importInput,
    answer: importAnswer,
  },
  listTemplates: {
    method: 'get',
    path: '/templates',
    group: 'Parts',
    summary: 'Templates of sources and networks: the desk’s own, and those that come with the program.',
    least: 'viewer',
    answer: z.array(templateRow),
  },
  saveTemplate: {
    method: 'post',
    path: '/templates',
    group: 'Parts',
    summary: 'Keep a template of one’s own.',
    least: 'editor',
    body: z.unknown(),
    answer: templateRow,
    status: 201,
    once: true,
    refuses: ['name_taken'],
  },
  removeTemplate: {
    method: 'delete',
    path: '/templates/{id}',
    group: 'Parts',
    summary: 'Remove a template of one’s own.',
    least: 'editor',
    answer: nothing,
    refuses: ['not_found'],
  },
  networkSeen: {
    method: 'get',
    path: '/parts/network/{id}/seen',
    group: 'Parts',
    summary: 'What a network has sent in the last 30 days, by status, event type and outcome.',
    least: 'viewer',
    answer: networkSeen,
    refuses: ['not_found'],
  },
  partsSeen: {
    method: 'get',
    path: '/parts-seen',
    group: 'Parts',
    summary: 'When each part was last met by a visit or a call, in the last seven days.',
    least: 'viewer',
    answer: partsSeen,
  },
  rotateKey: {
    method: 'post',
    path: '/parts/{kind}/{id}/key',
    group: 'Parts',
    summary: 'Give a network a new key; calls with the old one are taken for some days more.',
    least: 'editor',
    body: keyInput,
    answer: partAnswer,
    etag: 'gives',
    refuses: ['not_found', 'no_key'],
  },
  checkPage: {
    method: 'post',
    path: '/pages/{id}/check',
    group: 'Parts',
    summary: 'Fetch a landing page and look for its button links and the script; takes up to 5 s.',
    least: 'editor',
    answer: pageCheck,
    refuses: ['not_found'],
  },
  lastPageCheck: {
    method: 'get',
    path: '/pages/{id}/check',
    group: 'Parts',
    summary: 'What the last look at a landing page found; null before the first.',
    least: 'viewer',
    answer: z.object({ check: pageCheck.nullable() }),
    refuses: ['not_found'],
  },
  listDomains: {
    method: 'get',
    path: '/domains',
    group: 'Desk',
    summary: 'Tracking domains of the desk, and the address under which this server listens.',
    least: 'viewer',
    answer: z.array(domainRow),
  },
  addDomain: {
    method: 'post',
    path: '/domains',
    group: 'Desk',
    summary: 'Add a tracking domain.',
    least: 'owner',
    body: domainInput,
    answer: domainRow,
    status: 201,
    once: true,
    refuses: ['name_taken'],
  },
  changeDomain: {
    method: 'put',
    path: '/domains/{id}',
    group: 'Desk',
    summary: 'Change a tracking domain, its fallback and its own paths.',
    least: 'owner',
    body: domainInput,
    answer: domainRow,
    refuses: ['not_found', 'name_taken'],
  },
  removeDomain: {
    method: 'delete',
    path: '/domains/{id}',
    group: 'Desk',
    summary: 'Remove a tracking domain; its links go on as long as its name leads here.',
    least: 'owner',
    answer: nothing,
    refuses: ['not_found'],
  },
  checkDomain: {
    method: 'post',
    path: '/domains/{id}/check',
    group: 'Desk',
    summary:
      'Look whether a tracking domain resolves, answers as ours, and how long its certificate is good.',
    least: 'editor',
    answer: domainCheck,
    refuses: ['not_found'],
  },
  listPasted: {
    method: 'get',
    path: '/pasted-links',
    group: 'Parts',
    summary: 'Links that were ticked off as pasted into their source.',
    least: 'viewer',
    answer: z.array(pastedLink),
  },
  tickPasted: {
    method: 'put',
    path: '/pasted-links/{id}',
    group: 'Parts',
    summary: 'Tick off that a campaign’s link was pasted, with these parameters.',
    least: 'editor',
    body: z.object({ query: z.string().max(8192) }),
    answer: nothing,
    refuses: ['not_found'],
  },
  campaignsReport: {
    method: 'get',
    path: '/reports/campaigns',
    group: 'Reports',
    summary: 'Figures of all campaigns over a period.',
    least: 'viewer',
    query: periodQuery,
    answer: campaignsReport,
  },
  campaignReport: {
    method: 'get',
    path: '/reports/campaigns/{id}',
    group: 'Reports',
    summary: 'Figures of one campaign, day by day.',
    least: 'viewer',
    query: periodQuery,
    answer: campaignReport,
    refuses: ['not_found'],
  },
  attention: {
    method: 'get',
    path: '/attention',
    group: 'Reports',
    summary: 'What needs a member’s eye.',
    least: 'viewer',
    answer: z.array(attentionItem),
  },
  listVisits: {
    method: 'get',
    path: '/visits',
    group: 'Signals',
    summary: 'Visits of the last 31 days, newest first.',
    least: 'viewer',
    query: listQuery,
    answer: pageOf(visitRow),
  },
  visit: {
    method: 'get',
    path: '/visits/{id}',
    group: 'Signals',
    summary: 'One visit, by click ID, with the clicks on its page’s buttons.',
    least: 'viewer',
    answer: wholeVisit,
    refuses: ['not_found'],
  },
  eraseVisit: {
    method: 'delete',
    path: '/visits/{id}',
    group: 'Signals',
    summary: 'Erase what is personal in a visit and its calls; the figures stay.',
    least: 'owner',
    answer: z.object({ visits: z.int(), postbacks: z.int(), conversions: z.int() }),
    refuses: ['not_found'],
  },
  listPostbacksIn: {
    method: 'get',
    path: '/postbacks-in',
    group: 'Signals',
    summary: 'Postbacks in, newest first, with what was made of them.',
    least: 'viewer',
    query: listQuery,
    answer: pageOf(postbackInRow),
  },
  reprocessPostback: {
    method: 'post',
    path: '/postbacks-in/{id}/judge',
    group: 'Signals',
    summary: 'Judge a call again.',
    least: 'editor',
    answer: judgementAnswer,
    refuses: ['not_found'],
  },
  releasePostback: {
    method: 'post',
    path: '/postbacks-in/{id}/release',
    group: 'Signals',
    summary: 'Release a call that is held for its address, and judge it.',
    least: 'editor',
    answer: judgementAnswer,
    refuses: ['not_found', 'not_held'],
  },
  listConversions: {
    method: 'get',
    path: '/conversions',
    group: 'Signals',
    summary: 'Conversions, newest first.',
    least: 'viewer',
    query: listQuery,
    answer: pageOf(conversionRow),
  },
  listPostbacksOut: {
    method: 'get',
    path: '/postbacks-out',
    group: 'Signals',
    summary: 'Postbacks out, newest first, with each attempt.',
    least: 'viewer',
    query: listQuery,
    answer: pageOf(postbackOutRow),
  },
  retryPostbackOut: {
    method: 'post',
    path: '/postbacks-out/{id}/retry',
    group: 'Signals',
    summary: 'Try a parked postback out again.',
    least: 'editor',
    answer: nothing,
    refuses: ['not_found'],
  },
} as const satisfies Record<string, Endpoint>;

export type EndpointName = keyof typeof table;
export type EndpointOf<N extends EndpointName> = (typeof table)[N];
export const endpoints: typeof table = table;

/** The endpoint that a request goes to, by method and path under /api without its query; undefined for none. */
export function findEndpoint(method: string, path: string): (Endpoint & { name: EndpointName }) | undefined {
  const wanted = path.split('/');
  for (const [name, e] of Object.entries(table) as [EndpointName, Endpoint][]) {
    const parts = e.path.split('/');
    if (e.method !== method.toLowerCase() || parts.length !== wanted.length) continue;
    // A literal goes before a parameter, as in /parts/{kind}/name-free and /parts/{kind}/{id}.
    if (parts.every((p, i) => p === wanted[i] || (p.startsWith('{') && !isLiteral(e, i, wanted[i]!))))
      return { ...e, name };
  }
  return undefined;
}

const isLiteral = (e: Endpoint, at: number, word: string): boolean =>
  (Object.values(table) as Endpoint[]).some(
    (other) =>
      other.method === e.method &&
      other.path.split('/').length === e.path.split('/').length &&
      other.path.split('/').slice(0, at).join('/') === e.path.split('/').slice(0, at).join('/') &&
      other.path.split('/')[at] === word,
  );
