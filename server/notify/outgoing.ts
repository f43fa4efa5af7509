/**
 * Outgoing requests that cannot be turned against our own network: the address is checked at the moment of
 * connecting, after the name was resolved, so that a name which resolves anew to a private address gains nothing.
 * Redirects are not followed. Private addresses are refused but for the operator's `host:port` pairs.
 */
import { lookup } from 'node:dns';
import type { Socket } from 'node:net';
import ipaddr from 'ipaddr.js';
import { Agent, buildConnector, request } from 'undici';
import { CALL_OUT_TIMEOUT_MS, MAX_ANSWER_BYTES } from '../limits/limits.ts';

export class Refused extends Error {}

export interface OutgoingResult {
  status: number;
}
/** `body`: it is sent by POST. */
export type Call = (url: string, headers: Record<string, string>, body?: string) => Promise<OutgoingResult>;

/** An IPv4 address in the old IPv6 form (RFC 4291 §2.5.5.1); some systems reach the IPv4 one by it. Other forms have ranges of their own. */
const OLD_V4_FORM = ipaddr.IPv6.parseCIDR('::/96');

export function isPublicAddress(address: string): boolean {
  if (!ipaddr.isValid(address)) return false;
  const parsed = ipaddr.process(address);
  if (parsed instanceof ipaddr.IPv6 && parsed.match(OLD_V4_FORM)) return false;
  return parsed.range() === 'unicast';
}

export interface OutgoingLimits {
  timeoutMs: number;
  maxBytes: number;
}

/** An agent that connects to public addresses, and to the operator's `host:port` pairs, only. */
export function guardedAgent(
  allowed: ReadonlySet<string>,
  { timeoutMs, maxBytes }: OutgoingLimits,
  resolve: typeof lookup = lookup,
): Agent {
  return new Agent({
    connect: guardedConnector(allowed, timeoutMs, resolve),
    headersTimeout: timeoutMs,
    bodyTimeout: timeoutMs,
    maxResponseSize: maxBytes,
  });
}

function guardedConnector(
  allowed: ReadonlySet<string>,
  timeoutMs: number,
  resolve: typeof lookup,
): buildConnector.connector {
  const guarded = buildConnector({
    timeout: timeoutMs,
    lookup: (hostname, options, callback) => {
      resolve(hostname, { ...options, all: true }, (error, addresses) => {
        if (error) return callback(error, '', 0);
        const bad = addresses.find((a) => !isPublicAddress(a.address));
        if (bad) return callback(new Refused(`${hostname} is at a private address`), '', 0);
        if (options.all)
          return (callback as unknown as (e: null, a: typeof addresses) => void)(null, addresses);
        callback(null, addresses[0]!.address, addresses[0]!.family);
      });
    },
  });
  const plain = buildConnector({ timeout: timeoutMs });
  return (options, callback) => {
    const port = options.port || (options.protocol === 'https:' ? '443' : '80');
    if (allowed.has(`${options.hostname}:${port}`)) return plain(options, callback);
    // A literal address is never looked up, so it is checked here.
    const literal = options.hostname.replace(/^\[|\]$/g, '');
    if (ipaddr.isValid(literal) && !isPublicAddress(literal))
      return callback(new Refused(`${literal} is a private address`), null);
    guarded(options, callback);
  };
}

/** A plain connection to a public address, or to one of the operator's `host:port` pairs. */
export const guardedConnect = (
  allowed: ReadonlySet<string>,
  timeoutMs: number,
  hostname: string,
  port: string,
): Promise<Socket> =>
  new Promise((done, fail) =>
    guardedConnector(
      allowed,
      timeoutMs,
      lookup,
    )({ hostname, host: hostname, protocol: 'http:', port }, (error, socket) =>
      error ? fail(error) : done(socket!),
    ),
  );

/** Throws Refused for an address that is not called at all. */
export function readTarget(url: string, ownOrigins: readonly string[]): URL {
  const target = new URL(url);
  if (target.protocol !== 'http:' && target.protocol !== 'https:')
    throw new Refused('only http and https are allowed');
  if (ownOrigins.includes(target.origin)) throw new Refused('this address belongs to our own server');
  return target;
}

export function makeCaller(
  allowed: ReadonlySet<string>,
  ownOrigins: readonly string[],
  resolve: typeof lookup = lookup,
): Call {
  const limits = { timeoutMs: CALL_OUT_TIMEOUT_MS, maxBytes: MAX_ANSWER_BYTES };
  const agent = guardedAgent(allowed, limits, resolve);
  return async (url, headers, body) => {
    const target = readTarget(url, ownOrigins);
    const what = body === undefined ? { method: 'GET' as const } : { method: 'POST' as const, body };
    const res = await request(target, { dispatcher: agent, ...what, headers });
    await res.body.dump();
    return { status: res.statusCode };
  };
}
