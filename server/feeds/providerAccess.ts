/**
 * The way to a provider: every request is guarded, signed as the feed says, and told apart by what can be done about a
 * failure. A FeedProblem is a sentence for the member; a FeedLater is tried again, since the provider asks for patience or is
 * in trouble itself.
 */
import { request, type Dispatcher } from 'undici';
import type { FeedInput } from '@tracheon/core/contract';
import { FeedProblem, readJson, textAt } from '@tracheon/core/feeds';
import { guardedAgent, readTarget, Refused } from '../notify/outgoing.ts';

const TIMEOUT_MS = 30_000;
/** Of one page, unpacked. */
const MAX_PAGE_BYTES = 32 * 1024 * 1024;
const MAX_RETRY_AFTER_MS = 6 * 3_600_000;

export class FeedLater extends Error {
  constructor(
    words: string,
    /** As the provider asks; null: it doesn't say. */
    readonly waitMs: number | null,
  ) {
    super(words);
  }
}
/** The provider does not know who asks: a wrong key, or a token that is no longer good. */
class KeyRefused extends FeedProblem {}

export interface Outgoing {
  allowed: ReadonlySet<string>;
  ownOrigins: readonly string[];
}
interface Signed {
  headers: Record<string, string>;
  parameters: Record<string, string>;
}

/** For one run; `close` it in the end. */
export class ProviderAccess {
  private readonly dispatcher: Dispatcher;
  private signed: Signed | null = null;

  constructor(
    private readonly feed: FeedInput,
    private readonly secret: string,
    private readonly out: Outgoing,
    private readonly signal: AbortSignal,
  ) {
    this.dispatcher = guardedAgent(out.allowed, { timeoutMs: TIMEOUT_MS, maxBytes: MAX_PAGE_BYTES });
  }

  /** The answer's text. Throws FeedProblem, FeedLater, or what the signal was aborted with. */
  async ask(url: URL, method: 'GET' | 'POST' = 'GET'): Promise<string> {
    const isFresh = this.signed === null;
    try {
      return await this.send(url, method, (this.signed ??= await this.signIn()));
    } catch (error) {
      // A token lives shorter than a long report takes.
      if (!(error instanceof KeyRefused) || isFresh || this.feed.signIn !== 'token') throw error;
      return this.send(url, method, (this.signed = await this.signIn()));
    }
  }

  close(): Promise<void> {
    return this.dispatcher.destroy();
  }

  private async signIn(): Promise<Signed> {
    const { feed, secret } = this;
    const named = (value: string): Signed => ({
      headers: { [feed.signInName]: feed.signInPrefix + value },
      parameters: {},
    });
    const basic = { Authorization: `Basic ${Buffer.from(`${feed.user}:${secret}`).toString('base64')}` };
    switch (feed.signIn) {
      case 'none':
        return { headers: {}, parameters: {} };
      case 'header':
        return named(secret);
      case 'parameter':
        return { headers: {}, parameters: { [feed.signInName]: secret } };
      case 'basic':
        return { headers: basic, parameters: {} };
      case 'token': {
        const answer = await this.send(new URL(feed.tokenUrl), 'GET', { headers: basic, parameters: {} });
        const token = textAt(readJson(answer), feed.tokenAt);
        if (!token) throw new FeedProblem(`The answer to the sign-in has no token in “${feed.tokenAt}”.`);
        return named(token);
      }
    }
  }

  private async send(url: URL, method: 'GET' | 'POST', { headers, parameters }: Signed): Promise<string> {
    const { dispatcher, signal, out } = this;
    const asked = new URL(url);
    for (const [name, value] of Object.entries(parameters)) asked.searchParams.set(name, value);
    try {
      const target = readTarget(asked.href, out.ownOrigins);
      const res = await request(target, { dispatcher, headers, signal, method });
      const text = await res.body.text();
      const problem = problemOf(res.statusCode, res.headers['retry-after']);
      if (problem) throw problem;
      return text;
    } catch (error) {
      if (error instanceof FeedProblem || error instanceof FeedLater) throw error;
      signal.throwIfAborted();
      if (error instanceof Refused)
        throw new FeedProblem(`Tracheon doesn’t call this address: ${error.message}.`);
      const { code } = error as { code?: string };
      if (code === 'UND_ERR_RES_EXCEEDED_MAX_SIZE')
        throw new FeedProblem(
          'A page of the answer is larger than 32 MiB. Ask the provider for smaller pages.',
        );
      throw new FeedLater(`The provider doesn’t answer (${code ?? (error as Error).message}).`, null);
    }
  }
}

function problemOf(status: number, retryAfter: string | string[] | undefined): Error | null {
  if (status >= 200 && status < 300) return null;
  if (status === 401 || status === 403)
    return new KeyRefused(
      `The provider refuses the key (status ${status}). Enter the user and the key again.`,
    );
  if (status >= 300 && status < 400)
    return new FeedProblem(
      `The provider sends on to another address (status ${status}). Enter the final address.`,
    );
  if (status === 429 || status === 408 || status >= 500)
    return new FeedLater(`The provider asks to come again later (status ${status}).`, waitOf(retryAfter));
  return new FeedProblem(`The provider answers with status ${status}. Check the address.`);
}

/** RFC 9110 §10.2.3: seconds, or a date. */
function waitOf(header: string | string[] | undefined): number | null {
  const text = Array.isArray(header) ? header[0] : header;
  if (text === undefined) return null;
  const ms = /^\d{1,6}$/.test(text) ? Number(text) * 1000 : Date.parse(text) - Date.now();
  return Number.isFinite(ms) ? Math.max(0, Math.min(ms, MAX_RETRY_AFTER_MS)) : null;
}
