/**
 * An address followed hop by hop as a visitor's browser would, but for scripts: redirects and pages that forward by themselves.
 * Guarded at each hop like every outgoing request; ten hops, five seconds each. Never throws: what went wrong is in the hop.
 */
import { request, type Dispatcher } from 'undici';
import type { FollowedHop } from '@tracheon/core/contract';
import { hopChanges, isOurs } from '@tracheon/core/links';
import { guardedAgent, readTarget, Refused } from '../notify/outgoing.ts';
import { MAX_PAGE_BYTES } from '../limits/limits.ts';

export const MAX_HOPS = 10;
const HOP_TIMEOUT_MS = 5000;
/** What forwards stands in the head of a page. */
const MAX_READ_CHARACTERS = 64 * 1024;

export interface Walked {
  hops: FollowedHop[];
  isFound: boolean;
  sentence: string;
  /** What the last page says, cut; empty when there is none. */
  html: string;
}
/** `ownOrigins` are those of the desk's tracking domains: who is sent there goes round in a circle. */
export type Walk = (
  url: string,
  headers: Record<string, string>,
  ownOrigins: readonly string[],
  /** Instead of the usual way: one that leads through a proxy. */
  through?: Dispatcher,
) => Promise<Walked>;

export function makeWalk(allowed: ReadonlySet<string>): Walk {
  const dispatcher = guardedAgent(allowed, { timeoutMs: HOP_TIMEOUT_MS, maxBytes: MAX_PAGE_BYTES });
  return async (first, headers, ownOrigins, through = dispatcher) => {
    const hops: FollowedHop[] = [];
    let url = first;
    for (;;) {
      if (isOurs(url, ownOrigins)) {
        hops.push({ url, status: null, way: 'own', tookMs: 0, detail: '', changes: [] });
        return {
          hops,
          isFound: false,
          sentence: 'The way leads back to your own tracking domain.',
          html: '',
        };
      }
      const { hop, next, html } = await oneHop(through, url, headers);
      hops.push(hop);
      if (next === null) return { hops, ...endOf(hop), html };
      if (hops.length >= MAX_HOPS)
        return { hops, isFound: false, sentence: `The way doesn’t end within ${MAX_HOPS} hops.`, html: '' };
      url = next;
    }
  };
}

function endOf({ way, status, detail }: FollowedHop): Pick<Walked, 'isFound' | 'sentence'> {
  if (way === 'failed') return { isFound: false, sentence: `The last address doesn’t answer: ${detail}` };
  const isFound = status !== null && status < 400;
  return {
    isFound,
    sentence: isFound
      ? `The last page is there: it answers ${status}.`
      : `The last page is missing: it answers ${status}.`,
  };
}

async function oneHop(
  dispatcher: Dispatcher,
  url: string,
  headers: Record<string, string>,
): Promise<{ hop: FollowedHop; next: string | null; html: string }> {
  const began = performance.now();
  const hop: FollowedHop = { url, status: null, way: 'end', tookMs: 0, detail: '', changes: [] };
  let next: string | null = null;
  let html = '';
  try {
    const target = readTarget(url, []);
    const res = await request(target, {
      dispatcher,
      headers: { ...headers, accept: 'text/html,*/*', 'accept-encoding': 'identity' },
      signal: AbortSignal.timeout(HOP_TIMEOUT_MS),
    });
    hop.status = res.statusCode;
    const location = one(res.headers.location);
    if (res.statusCode >= 300 && res.statusCode < 400 && location !== undefined) {
      await res.body.dump();
      [next, hop.way] = [new URL(location, target).href, 'redirect'];
    } else {
      html = await res.body.text();
      const isPage = /html/i.test(one(res.headers['content-type']) ?? 'html');
      const forward = isPage ? forwardIn(html.slice(0, MAX_READ_CHARACTERS)) : null;
      if (forward !== null) [next, hop.way] = [new URL(forward, target).href, 'refresh'];
    }
    if (next !== null) hop.changes = hopChanges(url, next);
  } catch (error) {
    Object.assign(hop, { way: 'failed', detail: wordsOf(error) });
    next = null;
  }
  hop.tookMs = Math.round(performance.now() - began);
  return { hop, next, html };
}

const one = (value: string | string[] | undefined): string | undefined =>
  Array.isArray(value) ? value[0] : value;

/** A page that forwards within some seconds (HTML, pragma directive `refresh`); its address without what escapes it. */
function forwardIn(html: string): string | null {
  for (const [tag] of html.matchAll(/<meta\s[^>]{0,2000}>/gi)) {
    if (!/http-equiv\s*=\s*["']?refresh/i.test(tag)) continue;
    const to = /content\s*=\s*["']?\s*\d{1,2}\s*[;,]\s*url\s*=\s*["']?([^"'>]{1,1900})/i.exec(tag)?.[1];
    if (to)
      return to
        .trim()
        .replace(/&#(\d{1,4});/g, (_, n: string) => String.fromCharCode(Number(n)))
        .replace(/&amp;/g, '&');
  }
  return null;
}

function wordsOf(error: unknown): string {
  const { name, code, message, cause } = error as Error & { code?: string; cause?: unknown };
  if (error instanceof Refused) return `${error.message}.`;
  if (cause instanceof Refused) return `${cause.message}.`;
  if (name === 'TimeoutError' || /TIMEOUT/.test(code ?? ''))
    return `no answer within ${HOP_TIMEOUT_MS / 1000} seconds.`;
  if (code === 'ERR_INVALID_URL') return 'this is no address.';
  if (code === 'ENOTFOUND' || code === 'EAI_AGAIN') return 'its name does not resolve.';
  if (code === 'ECONNREFUSED') return 'it refuses the connection.';
  return `${message}.`;
}
