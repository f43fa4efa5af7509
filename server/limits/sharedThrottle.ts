/**
 * Counts tries by whom they are, in the database, so that several processes have one count between them. A window begins
 * with the first try. Whom a count is about is kept as a hash: an account, an address, a partner.
 */
import { createHash } from 'node:crypto';
import type { ClientRateLimitInfo, Store } from 'express-rate-limit';
import type { Pool } from 'pg';

export const WINDOW_MS = 60_000;

/** `what` is counted, and a name of its own for each limit. */
export class TryCounts {
  constructor(
    private readonly pool: Pick<Pool, 'query'>,
    private readonly what: string,
  ) {}

  /** In the window that is open; 0 when none is. */
  async count(whom: string, nowMs: number): Promise<number> {
    const { rows } = await this.pool.query<{ tries: number }>(
      'SELECT tries FROM try_counts WHERE what = $1 AND whom = $2 AND until > $3',
      [this.what, hashOf(whom), new Date(nowMs)],
    );
    return rows[0]?.tries ?? 0;
  }

  /** One more. Resolves with how many there are in the window, and when it ends. */
  async add(whom: string, nowMs: number): Promise<{ tries: number; until: Date }> {
    const { rows } = await this.pool.query<{ tries: number; until: Date }>(
      `INSERT INTO try_counts AS t (what, whom, tries, until) VALUES ($1, $2, 1, $4)
       ON CONFLICT (what, whom) DO UPDATE SET
         tries = CASE WHEN t.until > $3 THEN t.tries + 1 ELSE 1 END,
         until = CASE WHEN t.until > $3 THEN t.until ELSE excluded.until END
       RETURNING tries, until`,
      [this.what, hashOf(whom), new Date(nowMs), new Date(nowMs + WINDOW_MS)],
    );
    return rows[0]!;
  }

  async takeBack(whom: string): Promise<void> {
    await this.pool.query(
      'UPDATE try_counts SET tries = greatest(0, tries - 1) WHERE what = $1 AND whom = $2',
      [this.what, hashOf(whom)],
    );
  }

  async forget(whom: string): Promise<void> {
    await this.pool.query('DELETE FROM try_counts WHERE what = $1 AND whom = $2', [this.what, hashOf(whom)]);
  }
}

const hashOf = (whom: string): string => createHash('sha256').update(whom).digest('base64url').slice(0, 22);

/** Closes to whom has failed too often; only failures count, so that honest traffic of one address goes on. */
export class SharedThrottle {
  private readonly counts: TryCounts;

  constructor(
    pool: Pick<Pool, 'query'>,
    what: string,
    private readonly limit: number,
  ) {
    this.counts = new TryCounts(pool, what);
  }

  /** True when there were too many failures within the minute. */
  async isClosed(whom: string, nowMs: number): Promise<boolean> {
    return (await this.counts.count(whom, nowMs)) >= this.limit;
  }

  async failed(whom: string, nowMs: number): Promise<void> {
    await this.counts.add(whom, nowMs);
  }
}

/** For express-rate-limit, which says when a try counts. */
export class SharedRateStore implements Store {
  readonly localKeys = false;
  private readonly counts: TryCounts;

  constructor(pool: Pick<Pool, 'query'>, what: string) {
    this.counts = new TryCounts(pool, what);
  }

  async increment(key: string): Promise<ClientRateLimitInfo> {
    const { tries, until } = await this.counts.add(key, Date.now());
    return { totalHits: tries, resetTime: until };
  }
  decrement(key: string): Promise<void> {
    return this.counts.takeBack(key);
  }
  resetKey(key: string): Promise<void> {
    return this.counts.forget(key);
  }
}
