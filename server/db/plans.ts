/**
 * Whether a pipelined pool's statements may keep their plan. While a desk is new its tables have no statistics, all indexes
 * look alike, and a plan that is kept may go by the wrong one for as long as the connection lives: 26 000 pages for a batch
 * of postbacks instead of 130. So until the tables that judging reads have been counted (ANALYZE, by hand or by
 * autovacuum), each execution is planned anew; from then on once for each connection (PostgreSQL manual, PREPARE). A new
 * count makes PostgreSQL plan again by itself.
 */
import type { Pool, PoolClient } from 'pg';
import type { RepeatedJob } from '../jobs/job.ts';

/** With fewer rows than these the planner may still take any index for the same. */
const MIN_COUNTED_ROWS = 1000;
const READ_BY_JUDGING = ['outcomes', 'conversions', 'ledger'];
const LOOK_EVERY_MS = 10_000;

const keeping = new WeakSet<Pool>();
const keepingNow = new WeakMap<PoolClient, boolean>();

/** Resolves with whether plans are kept from now on. */
export async function lookAtStatistics(pool: Pool): Promise<boolean> {
  const { rows } = await pool.query<{ isCounted: boolean }>(
    `SELECT coalesce(bool_and(c.reltuples >= $2), false) AS "isCounted"
     FROM unnest($1::text[]) AS name LEFT JOIN pg_class c ON c.oid = to_regclass(name)`,
    [READ_BY_JUDGING, MIN_COUNTED_ROWS],
  );
  const isCounted = rows[0]!.isCounted;
  if (isCounted) keeping.add(pool);
  else keeping.delete(pool);
  return isCounted;
}

export const plansJob = (pool: Pool): RepeatedJob => ({
  everyMs: LOOK_EVERY_MS,
  run: async () => void (await lookAtStatistics(pool)),
  trouble: 'plans are as before',
});

/** What the connection has to be told before its next transaction; null: nothing. */
export function planSetting(pool: Pool, client: PoolClient): string | null {
  const keeps = keeping.has(pool);
  if ((keepingNow.get(client) ?? false) === keeps) return null;
  keepingNow.set(client, keeps);
  return `SET plan_cache_mode = ${keeps ? 'auto' : 'force_custom_plan'}`;
}
