/** The text at an address, by a guarded connection; throws when it can’t be had. */
import { request } from 'undici';
import { guardedAgent, readTarget } from '../notify/outgoing.ts';

const TIMEOUT_MS = 15_000;
const MAX_BYTES = 20 * 1024 * 1024;

export async function fetchText(
  url: string,
  allowed: ReadonlySet<string>,
  ownOrigins: readonly string[],
): Promise<string> {
  const dispatcher = guardedAgent(allowed, { timeoutMs: TIMEOUT_MS, maxBytes: MAX_BYTES });
  try {
    const { statusCode, body } = await request(readTarget(url, ownOrigins), { dispatcher });
    const text = await body.text();
    if (statusCode !== 200) throw new Error(`status ${statusCode}`);
    return text;
  } finally {
    await dispatcher.close();
  }
}
