/** Feeds that fail, are late, wait for a member, or have changed their mind; and rates that can't be loaded. */
import type { Pool } from 'pg';
import type { Attention } from '@tracheon/core/contract';
import { formatAmount } from '@tracheon/core/money';

/** A feed is late after so many of its intervals, and never before so many minutes. */
const LATE_INTERVALS = 3;
const LATE_MINUTES = 120;
/** A correction of a final is worth a look when it is larger than this, and for so many days. */
const MOVED_PERCENT = 5;
const MOVED_DAYS = 2;

interface FeedNow {
  name: string;
  currency: string;
  isLate: boolean;
  /** Of its last run, when that one failed. */
  problem: string | null;
  waiting: string[];
  /** Its latest correction of a final. */
  moved: { day: string; before: string; now: string } | null;
}

export async function feedsBehind(pool: Pool, deskId: string, nowMs: number): Promise<Attention[]> {
  const { rows } = await pool.query<FeedNow>(
    `SELECT f.body->>'name' AS name, coalesce(f.body->>'currency', 'USD') AS currency, r.problem, w.waiting, m.moved,
       greatest(f.changed_at, d.last) < $2::timestamptz - make_interval(mins => greatest($4, $3 * coalesce((f.body->>'everyMinutes')::int, 60))) AS "isLate"
     FROM feeds f
     LEFT JOIN LATERAL (SELECT max(ended_at) AS last FROM feed_runs WHERE feed_id = f.id AND state = 'done') d ON true
     LEFT JOIN LATERAL (SELECT CASE WHEN state = 'failed' THEN problem END AS problem FROM feed_runs
       WHERE feed_id = f.id AND ended_at IS NOT NULL AND state <> 'stopped' ORDER BY ended_at DESC LIMIT 1) r ON true
     LEFT JOIN LATERAL (SELECT coalesce(array_agg(DISTINCT day::text ORDER BY day::text), '{}') AS waiting FROM feed_runs
       WHERE feed_id = f.id AND state = 'waiting') w ON true
     LEFT JOIN LATERAL (SELECT json_build_object('day', t.day::text, 'before', t.before::text, 'now', t.now::text) AS moved FROM
       (SELECT day, amount_micros AS now, lag(amount_micros) OVER (PARTITION BY day ORDER BY as_of) AS before, as_of FROM feed_runs
        WHERE feed_id = f.id AND state = 'done' AND is_final) t
       WHERE t.as_of > $2::timestamptz - make_interval(days => $5) AND abs(t.now - t.before) * 100 > $6 * abs(t.before)
       ORDER BY t.as_of DESC LIMIT 1) m ON true
     WHERE f.desk_id = $1 AND f.next_at IS NOT NULL ORDER BY lower(f.body->>'name')`,
    [deskId, new Date(nowMs), LATE_INTERVALS, LATE_MINUTES, MOVED_DAYS, MOVED_PERCENT],
  );
  return [...rows.flatMap(sentencesOf), ...(await ratesBehind(pool, deskId))];
}

function sentencesOf({ name, currency, isLate, problem, waiting, moved }: FeedNow): Attention[] {
  const to = '/money/feeds';
  const list: Attention[] = [];
  if (waiting.length > 0)
    list.push({
      code: 'feed_waiting',
      count: waiting.length,
      sentence: `Feed “${name}”: confirm the report of ${waiting.slice(0, 3).join(', ')}. It is empty or much smaller than before.`,
      to,
    });
  if (problem !== null)
    list.push({ code: 'feed_failed', count: 1, sentence: `Feed “${name}”: ${problem}`, to });
  else if (isLate)
    list.push({
      code: 'feed_late',
      count: 1,
      sentence: `Feed “${name}” is late: it has told nothing for a while.`,
      to,
    });
  if (moved)
    list.push({
      code: 'feed_moved',
      count: 1,
      sentence: `Feed “${name}” corrected ${moved.day}: it was ${formatAmount(BigInt(moved.before))} ${currency} and is now ${formatAmount(BigInt(moved.now))} ${currency}.`,
      to,
    });
  return list;
}

async function ratesBehind(pool: Pool, deskId: string): Promise<Attention[]> {
  const { rowCount } = await pool.query(
    'SELECT 1 FROM desks WHERE id = $1 AND daily_rates AND rates_failed_at IS NOT NULL',
    [deskId],
  );
  return rowCount === 0
    ? []
    : [
        {
          code: 'rates_late',
          count: 1,
          sentence: 'Tracheon could not load the daily exchange rates. It tries again.',
          to: '/money/rates',
        },
      ];
}
