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
  tableLayoutInput,
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
    summary: 'The signed-in member, desk and role.',
    least: 'viewer',
    answer: meAnswer,
  },
  changePassword: {
    method: 'put',
    path: '/me/password',
    group: 'Sign-in',
    summary: 'Change your password. Your other sessions end.',
    least: 'viewer',
    session: true,
    body: passwordInput,
    answer: nothing,
    refuses: ['too_many_tries'],
  },
  keepTableLayout: {
    method: 'put',
    path: '/me/tables',
    group: 'Sign-in',
    summary: 'Save how you laid out a table: order, hidden columns, widths.',
    least: 'viewer',
    session: true,
    body: tableLayoutInput,
    answer: nothing,
  },
  listTokens: {
    method: 'get',
    path: '/tokens',
    group: 'Sign-in',
    summary: 'Your tokens. Owners see the tokens of all members.',
    least: 'viewer',
    session: true,
    answer: z.array(tokenRow),
  },
  makeToken: {
    method: 'post',
    path: '/tokens',
    group: 'Sign-in',
    summary: 'Create a token for a script. The answer contains the token; it is not shown again.',
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
    summary: 'Revoke a token. It stops working at once.',
    least: 'viewer',
    session: true,
    answer: nothing,
    refuses: ['not_found'],
  },
  stream: {
    method: 'get',
    path: '/stream',
    group: 'Sign-in',
    summary: 'Server-sent events: lists that changed, and the server’s state.',
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
    summary: 'Set a rate. Tracheon converts the amounts that were waiting for it.',
    least: 'editor',
    body: rateInput,
    answer: z.object({ converted: z.int() }),
  },
  listParts: {
    method: 'get',
    path: '/parts',
    group: 'Parts',
    summary: 'All parts and campaigns.',
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
    summary: 'Whether a name is available.',
    least: 'viewer',
    query: z.object({ name: z.string().max(200), except: z.string().default('') }),
    answer: z.object({ free: z.boolean() }),
  },
  createPart: {
    method: 'post',
    path: '/parts/{kind}',
    group: 'Parts',
    summary: 'Create a record.',
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
    summary: 'Pause or resume a campaign; archive or restore a record.',
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
    summary: 'Records that use this record.',
    least: 'viewer',
    answer: z.array(z.object({ id: recordId, kind: kindParam, name: z.string() })),
    refuses: ['not_found'],
  },
  listVersions: {
    method: 'get',
    path: '/parts/{kind}/{id}/versions',
    group: 'Parts',
    summary: 'All versions of a record, newest first, with the member who saved each.',
    least: 'viewer',
    answer: z.array(partVersion),
    refuses: ['not_found'],
  },
  restoreVersion: {
    method: 'post',
    path: '/parts/{kind}/{id}/restore',
    group: 'Parts',
    summary: 'Restore an earlier version as a new version.',
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
    summary: 'Export records as one file. References are names instead of IDs.',
    least: 'viewer',
    body: z.object({ ids: z.array(recordId).max(MAX_PORTABLE_PARTS) }),
    answer: portableFile,
  },
  importParts: {
    method: 'post',
    path: '/parts-import',
    group: 'Parts',
    summary: 'Import records from a file, all or none. A dry run returns a preview.',
    least: 'editor',
    body: importInput,
    answer: importAnswer,
  },
  listTemplates: {
    method: 'get',
    path: '/templates',
    group: 'Parts',
    summary: 'Templates of sources and networks, both the desk’s own and built-in ones.',
    least: 'viewer',
    answer: z.array(templateRow),
  },
  saveTemplate: {
    method: 'post',
    path: '/templates',
    group: 'Parts',
    summary: 'Save your own template.',
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
    summary: 'Delete your own template.',
    least: 'editor',
    answer: nothing,
    refuses: ['not_found'],
  },
  networkSeen: {
    method: 'get',
    path: '/parts/network/{id}/seen',
    group: 'Parts',
    summary: 'Postbacks of a network in the last 30 days, by status, event type and outcome.',
    least: 'viewer',
    answer: networkSeen,
    refuses: ['not_found'],
  },
  partsSeen: {
    method: 'get',
    path: '/parts-seen',
    group: 'Parts',
    summary: 'When each part last had a visit or postback, within the last seven days.',
    least: 'viewer',
    answer: partsSeen,
  },
  rotateKey: {
    method: 'post',
    path: '/parts/{kind}/{id}/key',
    group: 'Parts',
    summary: 'Create a new key for a network. Postbacks with the old key are accepted for some more days.',
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
    summary: 'Fetch a landing page and check its button links and script. Takes up to 5 s.',
    least: 'editor',
    answer: pageCheck,
    refuses: ['not_found'],
  },
  lastPageCheck: {
    method: 'get',
    path: '/pages/{id}/check',
    group: 'Parts',
    summary: 'Result of the last check of a landing page; null if never checked.',
    least: 'viewer',
    answer: z.object({ check: pageCheck.nullable() }),
    refuses: ['not_found'],
  },
  listDomains: {
    method: 'get',
    path: '/domains',
    group: 'Desk',
    summary: 'Tracking domains of the desk and the server’s own address.',
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
    summary: 'Remove a tracking domain. Its links keep working while the domain points to this server.',
    least: 'owner',
    answer: nothing,
    refuses: ['not_found'],
  },
  checkDomain: {
    method: 'post',
    path: '/domains/{id}/check',
    group: 'Desk',
    summary:
      'Check that a tracking domain resolves and reaches this server, and how long its certificate is valid.',
    least: 'editor',
    answer: domainCheck,
    refuses: ['not_found'],
  },
  listPasted: {
    method: 'get',
    path: '/pasted-links',
    group: 'Parts',
    summary: 'Tracking links marked as pasted into their source.',
    least: 'viewer',
    answer: z.array(pastedLink),
  },
  tickPasted: {
    method: 'put',
    path: '/pasted-links/{id}',
    group: 'Parts',
    summary: 'Mark a campaign’s tracking link as pasted with these parameters.',
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
    summary: 'What needs attention.',
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
  listPostbacksIn: {
    method: 'get',
    path: '/postbacks-in',
    group: 'Signals',
    summary: 'Postbacks in, newest first, with outcome and reason.',
    least: 'viewer',
    query: listQuery,
    answer: pageOf(postbackInRow),
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
    summary: 'Retry a postback out that Tracheon gave up on.',
    least: 'editor',
    answer: nothing,
    refuses: ['not_found'],
  },
} as const satisfies Record<string, Endpoint>;

export type EndpointName = keyof typeof table;
export type EndpointOf<N extends EndpointName> = (typeof table)[N];
export const endpoints: typeof table = table;

/**
 * The endpoint that a request goes to, by method and path under /api without its query; undefined for none. Of several that
 * fit, the one with more literal segments, as in /parts/{kind}/name-free beside /parts/{kind}/{id}.
 */
export function findEndpoint(method: string, path: string): (Endpoint & { name: EndpointName }) | undefined {
  const wanted = path.split('/');
  const literals = (e: Endpoint): number => e.path.split('/').filter((p) => !p.startsWith('{')).length;
  const fitting = (Object.entries(table) as [EndpointName, Endpoint][]).filter(([, e]) => {
    const parts = e.path.split('/');
    return (
      e.method === method.toLowerCase() &&
      parts.length === wanted.length &&
      parts.every((p, i) => p.startsWith('{') || p === wanted[i])
    );
  });
  const best = fitting.sort(([, a], [, b]) => literals(b) - literals(a))[0];
  return best && { ...best[1], name: best[0] };
}
