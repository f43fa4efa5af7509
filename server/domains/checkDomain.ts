/**
 * Looks whether a tracking domain leads here: its name resolves, what answers there signs a number as only we can, and
 * its certificate is good for some days more. Guarded like every outgoing request.
 */
import { createHmac, randomBytes, timingSafeEqual } from 'node:crypto';
import { lookup } from 'node:dns/promises';
import { connect } from 'node:tls';
import { request } from 'undici';
import type { DomainCheck } from '@tracheon/core/contract';
import { guardedAgent, isPublicAddress, readTarget } from '../notify/outgoing.ts';

const TIMEOUT_MS = 5000;
const MAX_BYTES = 4096;
/** Where a tracking listener says that it is ours. */
export const PROOF_PATH = '/.well-known/tracheon';

/** The answer to `?n=`: proves the secret without telling it. */
export const proofOf = (secret: string, nonce: string): string =>
  createHmac('sha256', secret).update(`tracking domain|${nonce}`).digest('hex');

export type CheckDomain = (origin: string, nowMs: number) => Promise<DomainCheck>;

export function makeDomainChecker(secret: string, allowed: ReadonlySet<string>): CheckDomain {
  const agent = guardedAgent(allowed, { timeoutMs: TIMEOUT_MS, maxBytes: MAX_BYTES });
  return async (origin, nowMs) => {
    const url = new URL(origin);
    const at = new Date(nowMs).toISOString();
    const addresses = await addressesOf(url.hostname);
    const isHttps = url.protocol === 'https:';
    const certificateDays = isHttps ? await daysLeft(url, addresses, allowed, nowMs) : null;
    const say = (result: DomainCheck['result'], sentence: string): DomainCheck => ({
      at,
      result,
      sentence,
      addresses,
      certificateDays,
    });
    if (addresses.length === 0) return say('not_resolved', `${url.hostname} has no DNS address yet.`);
    const nonce = randomBytes(12).toString('hex');
    try {
      const target = readTarget(`${origin}${PROOF_PATH}?n=${nonce}`, []);
      const res = await request(target, { dispatcher: agent, signal: AbortSignal.timeout(TIMEOUT_MS) });
      const text = await res.body.text();
      if (!isProof(text, proofOf(secret, nonce)))
        return say(
          'another_server',
          `Another server answers at ${url.host} (${res.statusCode}). Point the domain to this server.`,
        );
      return say(
        'ok',
        certificateDays !== null && certificateDays < 14
          ? `Its certificate expires in ${certificateDays} days.`
          : '',
      );
    } catch (error) {
      const { code = '', message } = error as { code?: string; message: string };
      return /CERT|ALTNAME|SELF_SIGNED|UNABLE_TO/.test(code)
        ? say('bad_certificate', `Browsers will reject its certificate: ${message}.`)
        : say('no_answer', `${url.host} does not respond: ${message}.`);
    }
  };
}

function isProof(text: string, right: string): boolean {
  const [a, b] = [Buffer.from(text.trim()), Buffer.from(right)];
  return a.length === b.length && timingSafeEqual(a, b);
}

const addressesOf = (host: string): Promise<string[]> =>
  lookup(host, { all: true }).then(
    (all) => all.map((a) => a.address),
    () => [],
  );

/** Whole days until the certificate ends; null when none is shown. */
function daysLeft(
  url: URL,
  addresses: readonly string[],
  allowed: ReadonlySet<string>,
  nowMs: number,
): Promise<number | null> {
  const [address] = addresses;
  const port = url.port || '443';
  if (address === undefined || !(isPublicAddress(address) || allowed.has(`${url.hostname}:${port}`)))
    return Promise.resolve(null);
  return new Promise((resolve) => {
    const socket = connect(
      // Only its date is read here; whether it is trusted is the request's matter.
      {
        host: address,
        port: Number(port),
        servername: url.hostname,
        rejectUnauthorized: false,
        timeout: TIMEOUT_MS,
      },
      () => {
        const until = Date.parse(socket.getPeerCertificate().valid_to ?? '');
        socket.destroy();
        resolve(Number.isFinite(until) ? Math.floor((until - nowMs) / 86_400_000) : null);
      },
    );
    const none = (): void => {
      socket.destroy();
      resolve(null);
    };
    socket.on('error', none);
    socket.on('timeout', none);
  });
}
