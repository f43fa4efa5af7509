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
