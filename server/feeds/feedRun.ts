/**
 * One run of a feed: its day's pages are fetched and put aside, then taken in. One process works on it, under a lease that
 * each write proves again; whoever finds a lease that has run out takes the run over, and fetches it anew or goes on taking
 * it in. Nothing is counted before the last page has come.
 */
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import { FeedProblem } from '@tracheon/core/feeds';
import { inEventTransaction, type Reads } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import { ReportPending } from './fetchDay.ts';
import { fetchRun } from './fetchRun.ts';
import { oneFeed, type FeedRow, type FeedRunRow } from './feedStore.ts';
import { FeedLater, type Outgoing } from './providerAccess.ts';
import { takeInRun } from './takeIn.ts';
import { takeInCosts } from './takeInCosts.ts';

const LEASE_MS = 120_000;
const MAX_TRIES = 8;
const FIRST_WAIT_MS = 30_000;
const MAX_WAIT_MS = 3_600_000;
/** A report that is ordered is waited for at most so long. */
const REPORT_LIMIT_MS = 2 * 3_600_000;

export interface RunDeps {
  pool: Pool;
  serverSecret: string;
  out: Outgoing;
  judge: (receipts: readonly ReceiptRecord[]) => Promise<void>;
  now: () => number;
  tell: (deskId: string) => void;
  signal: AbortSignal;
}

class LeaseLost extends Error {}

/** Works on the next run that waits; false when there is none. */
export async function workOnNext(deps: RunDeps): Promise<boolean> {
  const { pool, now } = deps;
  const lease = ulid();
  const { rows } = await pool.query<FeedRunRow>(
    `UPDATE feed_runs SET lease = $1, leased_until = $3, tries = tries + 1,
       state = CASE WHEN state = 'queued' THEN 'running' ELSE state END, problem = ''
     WHERE id = (SELECT r.id FROM feed_runs r JOIN feeds f ON f.id = r.feed_id
       WHERE r.state IN ('queued', 'running', 'fetched') AND r.leased_until < $2 AND r.not_before <= $2 AND (f.rests_until <= $2 OR r.state = 'fetched')
       ORDER BY r.id LIMIT 1 FOR UPDATE OF r SKIP LOCKED) RETURNING *, day::text AS day`,
    [lease, new Date(now()), new Date(now() + LEASE_MS)],
  );
  const run = rows[0];
  if (!run) return false;
  try {
    await new FeedWork(deps, lease, await oneFeed(pool, run.desk_id, run.feed_id), run).whole();
  } catch (error) {
    if (deps.signal.aborted || error instanceof LeaseLost) return false;
    await failed(deps, run, lease, error);
  }
  deps.tell(run.desk_id);
  return true;
}

/** What the provider can't answer now is asked again; what is wrong with the feed is told. */
async function failed(deps: RunDeps, run: FeedRunRow, lease: string, error: unknown): Promise<void> {
  const { pool, now } = deps;
  const { words, isLater, waitMs } = judgeFailure(run, error, now());
  const isPending = error instanceof ReportPending;
  const { rowCount } = await pool.query(
    `UPDATE feed_runs SET state = CASE WHEN $3 THEN state ELSE 'failed' END, problem = $4, not_before = $5, lease = '', leased_until = '-infinity',
       tries = tries - $6, report_id = CASE WHEN $6 = 1 AND $3 THEN report_id ELSE '' END, ended_at = CASE WHEN $3 THEN NULL ELSE now() END
     WHERE id = $1 AND lease = $2`,
    [run.id, lease, isLater, words, new Date(now() + waitMs), isPending ? 1 : 0],
  );
  // Somebody else has it by now, and its rows with it.
  if (rowCount === 0) return;
  if (!isLater) await pool.query('DELETE FROM feed_rows WHERE run_id = $1', [run.id]);
  if (!isPending) await unanswered(pool, run.feed_id, now());
  if (!(error instanceof FeedProblem) && !(error instanceof FeedLater)) throw error;
}

function judgeFailure(
  run: FeedRunRow,
  error: unknown,
  nowMs: number,
): { words: string; isLater: boolean; waitMs: number } {
  if (error instanceof ReportPending) {
    const isLater = nowMs - (run.ordered_at?.getTime() ?? nowMs) < REPORT_LIMIT_MS;
    const words = isLater ? error.message : 'The provider has not finished the report within 2 hours.';
    return { words, isLater, waitMs: FIRST_WAIT_MS };
  }
  const isSaid = error instanceof FeedProblem || error instanceof FeedLater;
  const backoff = Math.min(FIRST_WAIT_MS * 2 ** (run.tries - 1), MAX_WAIT_MS) * (0.5 + Math.random() / 2);
  return {
    words: isSaid ? error.message : 'Tracheon could not finish this run. It tries again.',
    isLater: !(error instanceof FeedProblem) && run.tries < MAX_TRIES,
    waitMs: (error instanceof FeedLater ? error.waitMs : null) ?? backoff,
  };
}

/** So many failures in a row, and no run is begun for a while: a provider in trouble is not asked for each day anew. */
const FAILURES_BEFORE_REST = 5;
const FIRST_REST_MS = 10 * 60_000;
const LONGEST_REST_MS = 6 * 3_600_000;
async function unanswered(pool: Pool, feedId: string, nowMs: number): Promise<void> {
  const { rows } = await pool.query<{ failures: number }>(
    'UPDATE feeds SET failures = failures + 1 WHERE id = $1 RETURNING failures',
    [feedId],
  );
  const over = (rows[0]?.failures ?? 0) - FAILURES_BEFORE_REST;
  if (over >= 0)
    await pool.query('UPDATE feeds SET rests_until = $2 WHERE id = $1', [
      feedId,
      new Date(nowMs + Math.min(FIRST_REST_MS * 2 ** over, LONGEST_REST_MS)),
    ]);
}
const answered = (pool: Pool, feedId: string): Promise<unknown> =>
  pool.query(`UPDATE feeds SET failures = 0, rests_until = '-infinity' WHERE id = $1 AND failures > 0`, [
    feedId,
  ]);

/** One run, by the process that has its lease. */
class FeedWork {
  constructor(
    private readonly deps: RunDeps,
    private readonly lease: string,
    private readonly feed: FeedRow,
    private run: FeedRunRow,
  ) {}

  async whole(): Promise<void> {
    const { deps, feed } = this;
    const fence = (client: Reads): Promise<void> => this.fence(client);
    if (this.run.state !== 'fetched') {
      const run = await fetchRun({ ...deps, lease: this.lease, fence }, feed, this.run);
      if (!run) throw new LeaseLost();
      this.run = run;
      await answered(deps.pool, feed.id);
    }
    if (this.run.state !== 'fetched') return;
    const { pool, judge, now } = deps;
    const told =
      feed.body.gives === 'cost'
        ? await takeInCosts({ pool, fence }, feed, this.run)
        : await takeInRun({ pool, judge, now, fence }, feed, this.run);
    await inEventTransaction(pool, async (client) => {
      await this.fence(client);
      await client.query('DELETE FROM feed_rows WHERE run_id = $1', [this.run.id]);
      await client.query(
        `UPDATE feed_runs SET state = 'done', told = told + $2, ended_at = now(), lease = '' WHERE id = $1`,
        [this.run.id, told],
      );
    });
  }

  /** Within a transaction: proves that this process still has the run, and keeps it for longer. */
  private async fence(client: Reads): Promise<void> {
    const { rowCount } = await client.query(
      'UPDATE feed_runs SET leased_until = $3 WHERE id = $1 AND lease = $2',
      [this.run.id, this.lease, new Date(this.deps.now() + LEASE_MS)],
    );
    if (rowCount === 0) throw new LeaseLost();
  }
}

/** Rows of a final that waited are taken in like any other's. */
export async function confirmRun(pool: Pool, deskId: string, id: string): Promise<boolean> {
  const { rowCount } = await pool.query(
    `UPDATE feed_runs SET state = 'fetched', problem = '', ended_at = NULL, tries = 0, lease = '', leased_until = '-infinity' WHERE desk_id = $1 AND id = $2 AND state = 'waiting'`,
    [deskId, id],
  );
  return rowCount === 1;
}
