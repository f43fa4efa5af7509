/** How the practice network calls: as networks do, again and again where the other side is at fault. */
import { setTimeout as pause } from 'node:timers/promises';
import { request } from 'undici';

const TIMEOUT_MS = 10_000;
const RETRY_AFTER_MS = [1000, 3000, 9000];

interface Call {
  url: string;
  /** A JSON list; without one it is a plain GET. */
  body?: string;
}
/** As networks do: a call that is refused by a fault of the other side is made again a few times. */
export async function insistently(call: Call): Promise<string> {
  for (const [i, wait] of RETRY_AFTER_MS.entries()) {
    const answer = await answerOf(call);
    if (/^[24]/.test(answer)) return i === 0 ? answer : `${answer} (call ${i + 1})`;
    await pause(wait);
  }
  return answerOf(call);
}
async function answerOf({ url, body }: Call): Promise<string> {
  try {
    const res = await request(url, {
      headersTimeout: TIMEOUT_MS,
      bodyTimeout: TIMEOUT_MS,
      ...(body === undefined
        ? {}
        : { method: 'POST', body, headers: { 'content-type': 'application/json' } }),
    });
    return `${res.statusCode} ${(await res.body.text()).slice(0, 200)}`;
  } catch (error) {
    return `no answer: ${(error as Error).message}`;
  }
}
