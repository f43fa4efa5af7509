/**
 * The body of a call: 64 KiB, or a JSON list of calls, which is as long as MAX_LIST_CALLS of usual length are. What is
 * longer, or comes too slowly, is not kept.
 */
import type { IncomingMessage } from 'node:http';
import { jsonListElements } from '@tracheon/core/links';
import {
  CALL_BODY_PATIENCE_MS,
  MAX_CALL_BODY_BYTES,
  MAX_LIST_BODY_BYTES,
  MAX_LIST_CALLS,
} from '../limits/limits.ts';

/** A body that is refused is read so far, and thrown away: whoever still sends sees no answer, only a broken connection. */
const MAX_REFUSED_BYTES = 4 * MAX_LIST_BODY_BYTES;

/** Null when it is too large; what has arrived in time otherwise. */
export function readCallBody(req: IncomingMessage): Promise<string | null> {
  if (req.method === 'GET') return Promise.resolve('');
  if (Number(req.headers['content-length'] ?? 0) > MAX_REFUSED_BYTES) return Promise.resolve(null);
  return new Promise((resolve) => {
    const chunks: Buffer[] = [];
    let size = 0;
    let limit = MAX_CALL_BODY_BYTES;
    const finish = (value: string | null): void => {
      clearTimeout(timer);
      resolve(value);
    };
    const timer = setTimeout(() => req.destroy(), CALL_BODY_PATIENCE_MS);
    req.on('data', (chunk: Buffer) => {
      if (size === 0 && beginsList(chunk)) limit = MAX_LIST_BODY_BYTES;
      size += chunk.length;
      if (size > MAX_REFUSED_BYTES) finish(null);
      else if (size <= limit) chunks.push(chunk);
    });
    req.on('end', () => finish(size > limit ? null : Buffer.concat(chunks).toString('utf8')));
    // A sender that went away, or was too slow: whoever waits for the body must not wait for ever.
    req.on('close', () => finish(null));
  });
}

const beginsList = (chunk: Buffer): boolean => /^[\ufeff\s]*\[/.test(chunk.subarray(0, 64).toString('utf8'));

/**
 * The calls that a body holds: those of a JSON list, each by itself; else the one that it is. Null when they are too many, or
 * one of them is too long.
 */
export function callsIn(body: string): string[] | null {
  const elements = jsonListElements(body, MAX_LIST_CALLS);
  if (elements === null || elements.length === 0) return isShort(body) ? [body] : null;
  return elements.length <= MAX_LIST_CALLS && elements.every(isShort) ? elements : null;
}
const isShort = (text: string): boolean => Buffer.byteLength(text) <= MAX_CALL_BODY_BYTES;
