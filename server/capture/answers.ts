/** Short answers of the tracking listener: text, never cached; refusals with their code from the error catalogue. */
import type { ServerResponse } from 'node:http';
import { errorCatalogue, type ErrorCode } from '@tracheon/core/contract';

/** Carries the catalogue's code beside the sentence, for whoever reads answers by program. */
export const ERROR_HEADER = 'Tracheon-Error';

export function answer(
  res: ServerResponse,
  status: number,
  text: string,
  headers: Record<string, string> = {},
): void {
  res.writeHead(status, {
    'Cache-Control': 'no-store',
    ...(text === '' ? {} : { 'Content-Type': 'text/plain; charset=utf-8' }),
    'X-Content-Type-Options': 'nosniff',
    ...headers,
    'Content-Length': Buffer.byteLength(text),
  });
  res.end(text);
}

export function refuse(res: ServerResponse, code: ErrorCode, headers: Record<string, string> = {}): void {
  const { status, sentence } = errorCatalogue[code];
  answer(res, status, sentence, { ...headers, [ERROR_HEADER]: code });
}

/** As `answer`, for the one answer that is given thousands of times a second: names and values in one list. */
export function redirect(res: ServerResponse, url: string, cookies: readonly string[]): void {
  const headers = ['Cache-Control', 'no-store', 'X-Content-Type-Options', 'nosniff', 'Location', url];
  for (const cookie of cookies) headers.push('Set-Cookie', cookie);
  headers.push('Content-Length', '0');
  res.writeHead(302, headers);
  res.end();
}

/**
 * On to where the visitor is sent. A page instead of a redirect keeps the referrer from the next site: without any script,
 * and under a policy that allows none. Its Location is for whoever reads answers by program; browsers go by the page.
 */
export function sendOn(
  res: ServerResponse,
  sendBy: 'redirect' | 'page',
  url: string,
  cookies: readonly string[],
): void {
  if (sendBy === 'redirect') return redirect(res, url, cookies);
  if (cookies.length > 0) res.setHeader('Set-Cookie', cookies);
  answer(res, 200, forwardingPage(url), {
    'Content-Type': 'text/html; charset=utf-8',
    'Content-Security-Policy': "default-src 'none'; frame-ancestors 'none'",
    'Referrer-Policy': 'no-referrer',
    Location: url,
  });
}

/** The address is ASCII; what ends an attribute is escaped. */
function forwardingPage(url: string): string {
  const to = url.replace(/[&"'<>]/g, (c) => `&#${c.charCodeAt(0)};`);
  return (
    '<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="referrer" content="no-referrer">' +
    `<meta http-equiv="refresh" content="0;url=${to}"><title>Continue</title></head>` +
    `<body><a rel="noreferrer" href="${to}">Continue</a></body></html>`
  );
}
