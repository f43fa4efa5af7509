/**
 * What a network may have to show besides its key: a secret in the postback URL, or a signature over each call. The secret is
 * derived from the server's own and the key, so that nothing of it is stored, and an exchanged key has another one.
 *   secret     `/in/<key>-<secret>`
 *   signature  `Tracheon-Signature: t=<seconds since 1970>, s=<hex>` over `<t>.<query>.<body>`, HMAC-SHA256 by the secret
 */
import { createHmac, timingSafeEqual } from 'node:crypto';
import type { NetworkInput } from '@tracheon/core/contract';

export type CallerProof = NetworkInput['callerProof'];

/** Marks a receipt whose caller did not show what the network asks for. */
export const UNPROVEN = 'unproven';
export const SIGNATURE_HEADER = 'tracheon-signature';
/** A signature older than this, or as far ahead, proves nothing: it may have been listened to. */
export const SIGNATURE_SECONDS = 300;
/** 144 bits. */
const SECRET_LENGTH = 24;
const MAX_SIGNATURE_LENGTH = 200;

export const secretOf = (serverSecret: string, key: string): string =>
  createHmac('sha256', serverSecret)
    .update(`caller proof|${key}`)
    .digest('base64url')
    .slice(0, SECRET_LENGTH);

/** The key and the secret of a path; keys have no hyphen. */
export function splitKey(path: string): { key: string; secret: string } {
  const at = path.indexOf('-');
  return at < 0 ? { key: path, secret: '' } : { key: path.slice(0, at), secret: path.slice(at + 1) };
}

export interface Call {
  secret: string;
  signature: string;
  query: string;
  body: string;
}

export function isProven(
  proof: CallerProof,
  serverSecret: string,
  key: string,
  call: Call,
  nowMs: number,
): boolean {
  if (proof === 'none') return true;
  const secret = secretOf(serverSecret, key);
  if (proof === 'secret') return same(call.secret, secret);
  const [, t = '', s = ''] =
    /^t=(\d{1,12}), ?s=([0-9a-f]{64})$/.exec(call.signature.slice(0, MAX_SIGNATURE_LENGTH)) ?? [];
  const isFresh = t !== '' && Math.abs(nowMs / 1000 - Number(t)) <= SIGNATURE_SECONDS;
  return isFresh && same(s, signatureOf(secret, Number(t), call.query, call.body));
}

export const signatureOf = (secret: string, seconds: number, query: string, body: string): string =>
  createHmac('sha256', secret).update(`${seconds}.${query}.${body}`).digest('hex');

const same = (a: string, b: string): boolean =>
  a.length === b.length && timingSafeEqual(Buffer.from(a), Buffer.from(b));
