import type { Logger } from 'pino';

const MINUTE_MS = 60_000;

/** For what may go wrong a thousand times a second, as on a full disk: one line a minute, with how often it was. */
export class OncePerMinute {
  private readonly seen = new Map<string, { nextMs: number; times: number }>();

  constructor(
    private readonly log: Pick<Logger, 'error'>,
    private readonly now: () => number,
  ) {}

  error(what: string, details: Record<string, unknown>): void {
    const now = this.now();
    const seen = this.seen.get(what) ?? { nextMs: 0, times: 0 };
    seen.times += 1;
    this.seen.set(what, seen);
    // Also after the clock was set back.
    if (now < seen.nextMs && now > seen.nextMs - 2 * MINUTE_MS) return;
    this.log.error({ ...details, ...(seen.times > 1 ? { times: seen.times } : {}) }, what);
    seen.nextMs = now + MINUTE_MS;
    seen.times = 0;
  }
}
