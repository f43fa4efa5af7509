/**
 * The error catalogue: one stable code, HTTP status and sentence for whatever the API refuses. Codes are never
 * reused. docs/errors.md is held against this list by a test, both ways.
 */
import type { PartRecord } from './parts.ts';

export const errorCatalogue = {
  invalid_input: { status: 422, sentence: 'Something in this form is not right yet.' },
  malformed_body: { status: 400, sentence: 'The request body is not valid JSON.' },
  body_too_large: { status: 413, sentence: 'The request body is larger than this address accepts.' },
  not_signed_in: { status: 401, sentence: 'Sign in first.' },
  wrong_sign_in: { status: 401, sentence: 'E-mail address or password is wrong.' },
  too_many_tries: {
    status: 429,
    sentence: 'Too many tries from this address. Wait a minute, then try again.',
  },
  foreign_origin: { status: 403, sentence: 'This request came from another site and was refused.' },
  bad_csrf_token: {
    status: 403,
    sentence: 'The page is out of date. Load it again, then repeat the action.',
  },
  role_too_small: { status: 403, sentence: 'Your role on this desk does not allow that.' },
  not_found: { status: 404, sentence: 'There is no such record on this desk.' },
  name_taken: { status: 409, sentence: 'This name is already taken on this desk.' },
  word_taken: { status: 409, sentence: 'Another event type already uses this word.' },
  changed_meanwhile: {
    status: 409,
    sentence: 'Somebody else has saved this record meanwhile. Load it again to see both.',
  },
  precondition_failed: {
    status: 412,
    sentence:
      'The record is not the one that If-Match names any more. Read it again, then repeat the change.',
  },
  version_needed: {
    status: 428,
    sentence: 'Say which version you have read: If-Match with its ETag, or version in the body.',
  },
  key_used_otherwise: {
    status: 409,
    sentence: 'This Idempotency-Key was used with another request. Take a new one.',
  },
  key_still_at_it: {
    status: 409,
    sentence: 'A request with this Idempotency-Key is still under way. Ask again in a moment.',
  },
  wrong_token: { status: 401, sentence: 'This token is not known here, or was revoked.' },
  session_only: { status: 403, sentence: 'This is for signed-in members, not for tokens.' },
  scope_too_small: { status: 403, sentence: 'This token may read, not change anything.' },
  still_in_use: { status: 409, sentence: 'This is still in use and cannot be archived.' },
  no_key: { status: 409, sentence: 'Only a network’s key can be exchanged.' },
  not_held: { status: 409, sentence: 'This call is not held.' },
  last_owner: { status: 409, sentence: 'A desk needs at least one owner.' },
  unstorable_text: {
    status: 422,
    sentence: 'The text holds characters that cannot be stored (NUL, or half of a character). Take them out.',
  },
  method_not_allowed: { status: 405, sentence: 'This address does not answer that method.' },
  headers_too_large: {
    status: 431,
    sentence:
      'This link with its headers is longer than 16 KiB, more than any browser or partner sends. Shorten it.',
  },
  unreadable_request: { status: 400, sentence: 'This is no request that can be read (RFC 9112).' },
  unknown_campaign_key: {
    status: 404,
    sentence: 'There is no campaign at this address. Copy the tracking link anew.',
  },
  campaign_paused: { status: 404, sentence: 'This link is not active.' },
  unknown_button_key: {
    status: 404,
    sentence: 'There is no landing page at this address. Copy the button link anew.',
  },
  unknown_visitor: { status: 404, sentence: 'It is not known which visit this click belongs to.' },
  unknown_intake_key: { status: 404, sentence: 'No network has this address. Copy the postback URL anew.' },
  not_a_visit: {
    status: 503,
    sentence: 'Nothing is given out ahead of a visit. Ask again when the visitor really comes.',
  },
  not_kept: {
    status: 503,
    sentence: 'Not kept: neither the database nor the disk takes it. Send it again later.',
  },
  already_live: {
    status: 409,
    sentence: 'This setup sheet has gone live; its campaign is changed from now on.',
  },
  tracking_unreachable: {
    status: 502,
    sentence: 'The tracking domain does not answer, so no visitor reaches it either.',
  },
  test_refused: { status: 409, sentence: 'The tracking domain answered, but sent the test visitor nowhere.' },
  no_test: { status: 409, sentence: 'This is for test visits only; real ones are left alone.' },
  test_link_expired: {
    status: 410,
    sentence: 'This test link was good for an hour, and that is over. Make a new one.',
  },
  test_link_invalid: {
    status: 403,
    sentence: 'This is no test link of this campaign: it was changed, or made for another one.',
  },
  database_away: {
    status: 503,
    sentence: 'The database does not answer. Nothing was changed; try again shortly.',
  },
  internal: {
    status: 500,
    sentence: 'Something went wrong here. The log has the details under this request ID.',
  },
} as const;

export type ErrorCode = keyof typeof errorCatalogue;

/** RFC 9457 problem document, as every refusal of the API is sent. */
export interface Problem {
  type: string;
  title: string;
  status: number;
  code: ErrorCode;
  detail?: string;
  fields?: { path: string; message: string }[];
  /** With `changed_meanwhile`: the record as it stands now, so that both can be shown. */
  current?: PartRecord;
  requestId?: string;
}
