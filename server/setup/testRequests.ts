/**
 * Tests by the real way: requests to our own tracking domain, as a visitor or as the network would make them. Guarded
 * like every outgoing request, but for the address under which our own tracking listener runs.
 */
import { request, type Dispatcher } from 'undici';
import { guardedAgent } from '../notify/outgoing.ts';
import { Problem } from '../problems/problem.ts';

const TIMEOUT_MS = 5000;
const MAX_BYTES = 64 * 1024;

export interface TestAnswer {
  status: number;
  location: string;
  text: string;
}
/** Throws `tracking_unreachable` when nothing answers. */
export type TestRequest = (url: string, headers?: Record<string, string>) => Promise<TestAnswer>;

export function makeTestRequests(allowed: ReadonlySet<string>): TestRequest {
  const agent: Dispatcher = guardedAgent(allowed, { timeoutMs: TIMEOUT_MS, maxBytes: MAX_BYTES });
  return async (url, headers = {}) => {
    try {
      const res = await request(url, {
        dispatcher: agent,
        headers,
        signal: AbortSignal.timeout(TIMEOUT_MS),
      });
      const text = await res.body.text();
      const { location } = res.headers;
      return {
        status: res.statusCode,
        location: (Array.isArray(location) ? location[0] : location) ?? '',
        text: text.slice(0, 2000),
      };
    } catch (error) {
      const { host } = new URL(url);
      throw new Problem('tracking_unreachable', { detail: `${host}: ${(error as Error).message}.` });
    }
  };
}
