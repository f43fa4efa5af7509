/**
 * Every limit that holds strangers off, with its reason. A limit that is reached is answered with its code from the
 * error catalogue; docs/threats.md says what each is for, and a test tries each.
 */

/** Both listeners: a link with its headers. Browsers send 2 to 4 KiB; partners cut links at 2 048 characters. */
export const MAX_HEADER_BYTES = 16 * 1024;
/** A visitor's browser sends its headers at once; whoever takes longer holds a connection for nothing. */
export const HEADERS_TIMEOUT_MS = 10_000;
/** From the first byte of a request to its last. */
export const REQUEST_TIMEOUT_MS = 20_000;
/** How often both are looked at; Node's own half a minute would let slow senders stay three times as long. */
export const CHECK_CONNECTIONS_MS = 2000;
/** Longer than a browser waits between a page and its links, shorter than what piles idle connections up. */
export const KEEP_ALIVE_MS = 10_000;
/** Sockets of one listener: above what one process can serve at once, below what exhausts its file handles. */
export const MAX_CONNECTIONS = 8000;

/** A postback: networks send some hundred bytes; 64 KiB are kept whole, more is refused and not kept. */
export const MAX_CALL_BODY_BYTES = 64 * 1024;
/** Calls in one JSON list, each a receipt of its own, all in one commit. */
export const MAX_LIST_CALLS = 1000;
/** Such a list: 1 000 calls of 2 KiB. */
export const MAX_LIST_BODY_BYTES = 2 * 1024 * 1024;
/** A call's body that has not arrived by then is given up. */
export const CALL_BODY_PATIENCE_MS = 10_000;
/** A call's query, kept whole. Node's own limit for the request line is MAX_HEADER_BYTES. */
export const MAX_CALL_QUERY_LENGTH = 64 * 1024;

/** Desk: the largest form is an offer or source with long lists; text of 8 KiB each, some dozens of them. */
export const MAX_API_BODY = '256kb';

/** Requests with keys that nobody has, by address and minute: a mistyped link among honest ones, never a search. */
export const UNKNOWN_KEYS_PER_MINUTE = 60;
/** Requests with tokens that nobody has, by address and minute. */
export const WRONG_TOKENS_PER_MINUTE = 20;
/** Sign-in and password tries by address and minute: enough for a person, far too few for a list of passwords. */
export const SIGN_IN_TRIES_PER_MINUTE = 10;
/** Wrong passwords for one account in a minute, from whatever addresses: the account's member waits at most that minute. */
export const SIGN_IN_TRIES_PER_ACCOUNT = 20;
/** Test calls of one partner to its own postback URL: enough to set it up, too few to knock on a stranger's doors. */
export const POSTBACK_TESTS_PER_MINUTE = 6;
/** Addresses whose failures are remembered; the oldest are forgotten first. */
export const MAX_THROTTLED_ADDRESSES = 20_000;

/** Postbacks out: more of an answer is not read, decompressed or not; nobody needs it. */
export const MAX_ANSWER_BYTES = 64 * 1024;
/** A source's server that takes longer is tried again later. */
export const CALL_OUT_TIMEOUT_MS = 10_000;

/** Requests to one source at a time: a small server answers so many, and a slow one holds no more connections. */
export const POSTBACKS_AT_ONCE = 8;
/** Requests to one source a second: sources publish limits from 10 on; a desk with more conversions a second is rare. */
export const POSTBACKS_PER_SECOND = 50;
/** Failures in a row after which a source is taken for dead: one request at a time goes on asking. */
export const BREAKER_AFTER = 5;
/** Pause between such requests, doubled each time up to the longest. */
export const BREAKER_FIRST_MS = 1000;
export const BREAKER_MAX_MS = 60_000;
/** Sources that are looked at in one round. */
export const MAX_SOURCES_AT_ONCE = 1000;

/** A landing page that is looked at: visitors do not wait longer for one either. */
export const PAGE_TIMEOUT_MS = 5000;
/** More is no landing page; what is decompressed counts. */
export const MAX_PAGE_BYTES = 2 * 1024 * 1024;
/** Further than this no browser with a visitor behind it is sent. */
export const MAX_PAGE_REDIRECTS = 3;
/** How long it stays known what was passed on; as long as receipts are looked at for it. */
export const RELAYED_DAYS = 60;
