/**
 * Fetches a landing page as a visitor's browser would, guarded like every outgoing request: private addresses are
 * refused at each hop, five seconds in all, two MiB. Never throws: what went wrong is in the answer.
 */
import type { lookup } from 'node:dns';
import { brotliDecompressSync, gunzipSync, inflateSync } from 'node:zlib';
import { request, type Dispatcher } from 'undici';
import type { PageTrouble } from '@tracheon/core/contract';
import { guardedAgent, readTarget, Refused } from '../notify/outgoing.ts';
import { MAX_PAGE_BYTES, MAX_PAGE_REDIRECTS, PAGE_TIMEOUT_MS } from '../limits/limits.ts';

export interface FetchedPage {
  trouble: PageTrouble;
  /** Why, in the words of whoever refused. */
  detail: string;
  finalUrl: string;
  status: number | null;
  html: string;
  bytes: number;
  tookMs: number;
}
export type FetchPage = (url: string) => Promise<FetchedPage>;

const AGENT = 'Mozilla/5.0 (X11; Linux x86_64) Tracheon page check';

export function makePageFetcher(
  allowed: ReadonlySet<string>,
  ownOrigins: readonly string[],
  resolve?: typeof lookup,
): FetchPage {
  const agent = guardedAgent(allowed, { timeoutMs: PAGE_TIMEOUT_MS, maxBytes: MAX_PAGE_BYTES }, resolve);
  return async (url) => {
    const began = performance.now();
    const page: FetchedPage = {
      trouble: 'ok',
      detail: '',
      finalUrl: url,
      status: null,
      html: '',
      bytes: 0,
      tookMs: 0,
    };
    try {
      await follow(page, agent, ownOrigins, AbortSignal.timeout(PAGE_TIMEOUT_MS));
    } catch (error) {
      Object.assign(page, { trouble: troubleOf(error), detail: (error as Error).message });
    }
    page.tookMs = Math.round(performance.now() - began);
    return page;
  };
}

async function follow(
  page: FetchedPage,
  dispatcher: Dispatcher,
  ownOrigins: readonly string[],
  signal: AbortSignal,
): Promise<void> {
  for (let hop = 0; ; hop++) {
    const target = readTarget(page.finalUrl, ownOrigins);
    const res = await request(target, {
      dispatcher,
      signal,
      headers: { 'user-agent': AGENT, accept: 'text/html,*/*', 'accept-encoding': 'identity' },
    });
    page.status = res.statusCode;
    const location = one(res.headers.location);
    if (res.statusCode >= 300 && res.statusCode < 400 && location !== undefined) {
      await res.body.dump();
      if (hop >= MAX_PAGE_REDIRECTS) return void (page.trouble = 'redirects_too_often');
      page.finalUrl = new URL(location, target).href;
      continue;
    }
    const body = decompress(
      Buffer.from(await res.body.arrayBuffer()),
      one(res.headers['content-encoding']) ?? '',
    );
    page.bytes = body.length;
    const type = one(res.headers['content-type']) ?? 'text/html';
    page.html = decode(body, type);
    if (res.statusCode >= 400) page.trouble = 'error_status';
    else if (!/html|xml/i.test(type) && !/<html|<!doctype/i.test(page.html.slice(0, 1000)))
      page.trouble = 'not_html';
    return;
  }
}

const one = (value: string | string[] | undefined): string | undefined =>
  Array.isArray(value) ? value[0] : value;

/** Some servers compress whatever was asked for. */
function decompress(body: Buffer, encoding: string): Buffer {
  const limit = { maxOutputLength: MAX_PAGE_BYTES };
  if (/gzip/i.test(encoding)) return gunzipSync(body, limit);
  if (/br/i.test(encoding)) return brotliDecompressSync(body, limit);
  return /deflate/i.test(encoding) ? inflateSync(body, limit) : body;
}

/** What is no valid text of its encoding becomes replacement characters: links are ASCII in any of them. */
function decode(body: Buffer, contentType: string): string {
  const label =
    /charset=["']?([\w-]+)/i.exec(contentType)?.[1] ??
    /<meta[^>]+charset=["']?([\w-]+)/i.exec(body.toString('latin1', 0, 2048))?.[1];
  try {
    return new TextDecoder(label ?? 'utf-8').decode(body);
  } catch {
    return new TextDecoder().decode(body);
  }
}

function troubleOf(error: unknown): PageTrouble {
  const { name, code, cause } = error as { name?: string; code?: string; cause?: unknown };
  if (error instanceof Refused || cause instanceof Refused || code === 'ERR_INVALID_URL') return 'refused';
  if (name === 'TimeoutError' || /TIMEOUT/.test(code ?? '')) return 'too_slow';
  if (code === 'UND_ERR_RES_EXCEEDED_MAX_SIZE' || code === 'ERR_BUFFER_TOO_LARGE') return 'too_large';
  return 'no_answer';
}
