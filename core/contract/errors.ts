/**
 * The error catalogue: one stable code, HTTP status and sentence for whatever the API refuses. Codes are never
 * reused. docs/errors.md is held against this list by a test, both ways.
 */

export const errorCatalogue = {
  invalid_input: { status: 422, sentence: 'Some fields are not valid.' },
  nested_too_deeply: { status: 400, sentence: 'The JSON of the request is nested too deeply.' },
  malformed_body: { status: 400, sentence: 'The request body is not valid JSON.' },
  body_too_large: { status: 413, sentence: 'The request body is too large.' },
  not_signed_in: { status: 401, sentence: 'Sign in first.' },
  wrong_sign_in: { status: 401, sentence: 'E-mail address or password is wrong.' },
  too_many_tries: {
    status: 429,
    sentence: 'Too many attempts from this address. Wait a minute, then try again.',
  },
  foreign_origin: { status: 403, sentence: 'This request came from another site and was refused.' },
  bad_csrf_token: {
    status: 403,
    sentence: 'This page is out of date. Reload it, then try again.',
  },
  role_too_small: { status: 403, sentence: 'Your role on this desk does not allow this.' },
  not_found: { status: 404, sentence: 'This record does not exist on this desk.' },
  numbers_building: {
    status: 503,
    sentence:
      'Tracheon is building the index for this report. Your data is safe. Try again in a few minutes.',
  },
  numbers_away: {
    status: 503,
    sentence: 'Tracheon can’t answer this report right now. Try again in a minute.',
  },
  question_too_long: {
    status: 503,
    sentence: 'This report took longer than 10 seconds. Choose a shorter period or fewer levels.',
  },
  name_taken: { status: 409, sentence: 'This name is already taken on this desk.' },
  word_taken: { status: 409, sentence: 'Another event type already uses this word.' },
  changed_meanwhile: {
    status: 409,
    sentence: 'Another member saved this record after you opened it. Reload it to compare both versions.',
  },
  precondition_failed: {
    status: 412,
    sentence:
      'The record has changed since the version named in If-Match. Read it again, then repeat the change.',
  },
  version_needed: {
    status: 428,
    sentence: 'Name the version that you read: send If-Match with its ETag, or version in the body.',
  },
  key_used_otherwise: {
    status: 409,
    sentence: 'This Idempotency-Key was used for a different request. Use a new one.',
  },
  key_still_at_it: {
    status: 409,
    sentence: 'A request with this Idempotency-Key is still running. Try again in a moment.',
  },
  wrong_token: { status: 401, sentence: 'This token is unknown or was revoked.' },
  session_only: { status: 403, sentence: 'Only signed-in members can do this; tokens can’t.' },
  scope_too_small: { status: 403, sentence: 'This token has read-only access.' },
  still_in_use: {
    status: 409,
    sentence: 'This record is in use. Remove it where it is used, then archive it.',
  },
  no_key: { status: 409, sentence: 'Only networks can get a new key.' },
  unreadable_file: { status: 422, sentence: 'Tracheon can’t read this file.' },
  not_a_draft: { status: 409, sentence: 'This import has already been started.' },
  rates_unreachable: {
    status: 502,
    sentence:
      'Tracheon can’t load rates from the European Central Bank right now. Try again later, or load a file.',
  },
  no_cost_rows: { status: 409, sentence: 'This file has no row that Tracheon can load.' },
  unknown_file: { status: 404, sentence: 'There is no file at this address.' },
  nothing_to_bill: {
    status: 409,
    sentence:
      'There is nothing to put on a statement yet. All amounts are on a statement already, on hold, or still in the hold period.',
  },
  statement_in_use: {
    status: 409,
    sentence: 'A payment or a newer statement builds on this statement. Undo that first.',
  },
  payment_moved: {
    status: 409,
    sentence: 'Another member changed this payment meanwhile. Look at its state, then decide again.',
  },
  other_partner: {
    status: 409,
    sentence: 'You switched to another partner in another tab. Reload this page.',
  },
  access_moved: {
    status: 409,
    sentence: 'Somebody else changed this access meanwhile. Look at its state, then decide again.',
  },
  terms_changed: {
    status: 409,
    sentence: 'The terms have changed since you read them. Read them again, then accept them.',
  },
  nothing_to_book: { status: 409, sentence: 'These rows of the statement are booked already.' },
  nothing_to_repair: {
    status: 409,
    sentence: 'No postback of this group needs repair any more.',
  },
  not_undoable: { status: 409, sentence: 'This can’t be undone now.' },
  not_held: { status: 409, sentence: 'This postback is not held.' },
  last_owner: { status: 409, sentence: 'A desk needs at least one owner.' },
  unstorable_text: {
    status: 422,
    sentence:
      'The text contains characters that can’t be stored (NUL or an incomplete character). Remove them.',
  },
  method_not_allowed: { status: 405, sentence: 'This address does not support this method.' },
  headers_too_large: {
    status: 431,
    sentence: 'This link and its headers are longer than 16 KiB. Shorten the link.',
  },
  request_timeout: {
    status: 408,
    sentence: 'The request did not arrive whole in time. Send it again.',
  },
  unreadable_request: { status: 400, sentence: 'Malformed HTTP request (RFC 9112).' },
  unknown_campaign_key: {
    status: 404,
    sentence: 'No campaign has this tracking link. Copy the link again.',
  },
  page_not_in_campaign: {
    status: 404,
    sentence: 'No pairing of this campaign has this landing page. Copy the page’s link again.',
  },
  campaign_paused: { status: 404, sentence: 'This link is not active.' },
  no_offer_open: { status: 404, sentence: 'No offer takes visitors here right now.' },
  unknown_button_key: {
    status: 404,
    sentence: 'No landing page has this button link. Copy the link again.',
  },
  unknown_visitor: { status: 404, sentence: 'Tracheon can’t tell which visit this click belongs to.' },
  unknown_intake_key: { status: 404, sentence: 'No network has this postback URL. Copy the URL again.' },
  not_a_visit: {
    status: 503,
    sentence: 'Prefetch requests are not served.',
  },
  not_kept: {
    status: 503,
    sentence: 'Tracheon can’t store this now because database and disk both fail. Send it again later.',
  },
  already_live: {
    status: 409,
    sentence: 'This setup sheet is already live. Edit its campaign instead.',
  },
  tracking_unreachable: {
    status: 502,
    sentence: 'The tracking domain does not respond, so visitors can’t reach it either.',
  },
  test_refused: {
    status: 409,
    sentence: 'The tracking domain responded but did not redirect the test visit.',
  },
  test_waiting: {
    status: 503,
    sentence:
      'The tracking domain redirected the test visit, but the database does not have it yet. It waits on disk and appears when the database is back.',
  },
  member_elsewhere: {
    status: 409,
    sentence: 'This member also belongs to a desk that you don’t own, so you can’t reset the password.',
  },
  link_used: {
    status: 410,
    sentence: 'This link has been used or has expired. Ask an owner of your desk for a new one.',
  },
  other_desk: {
    status: 409,
    sentence: 'Your session has switched to another desk. Reload the page.',
  },
  nothing_to_send: {
    status: 409,
    sentence: 'There is nothing to send: the source no longer wants a postback for this conversion.',
  },
  no_test: { status: 409, sentence: 'This works for test visits only.' },
  no_test_visit: { status: 409, sentence: 'There is no test visit to report.' },
  test_link_expired: {
    status: 410,
    sentence: 'This test link has expired. Test links work for one hour. Create a new one.',
  },
  test_link_invalid: {
    status: 403,
    sentence:
      'This test link is not valid for this campaign: it was changed, or it belongs to another campaign.',
  },
  database_away: {
    status: 503,
    sentence: 'The database is not responding, so nothing was changed. Try again shortly.',
  },
  internal: {
    status: 500,
    sentence: 'Tracheon had an internal error. The log has the details under this request ID.',
  },
} as const;

export type ErrorCode = keyof typeof errorCatalogue;

/** A record that members edit, as it stands: enough to show both versions where two have saved it. */
export interface StoredRecord {
  version: number;
  updatedAt: string;
  body: { name?: string };
}

/** RFC 9457 problem document, as every refusal of the API is sent. */
export interface Problem {
  type: string;
  title: string;
  status: number;
  code: ErrorCode;
  detail?: string;
  fields?: { path: string; message: string }[];
  /** With `changed_meanwhile`: the record as it stands now, so that both can be shown. */
  current?: StoredRecord;
  requestId?: string;
}
