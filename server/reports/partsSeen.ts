/**
 * When each part was last met by a visit or a call: a source that has gone silent, an offer that gets nobody. Looked for
 * in the last days only, so that the question stays cheap on a desk with years of events.
 */
import type { Pool } from 'pg';
import { PARTS_SEEN_DAYS, type PartsSeen } from '@tracheon/core/contract';
import { dayAgo } from '../db/partitions.ts';

export async function partsSeen(pool: Pool, deskId: string): Promise<PartsSeen> {
  const { rows } = await pool.query<{ id: string; at: Date | string }>(
    `WITH v AS (
       SELECT campaign_id, source_id, offer_id, landing_id, max(at) AS at FROM visits
       WHERE desk_id = $1 AND day >= $3::date GROUP BY 1, 2, 3, 4
     ), o AS (
       SELECT network_id, event_type_id, max(received_at) AS at FROM outcomes
       WHERE desk_id = $1 AND received_at > now() - make_interval(days => $2::int) GROUP BY 1, 2
     )
     SELECT id, max(at) AS at FROM (
       SELECT campaign_id AS id, at FROM v UNION ALL SELECT source_id, at FROM v UNION ALL SELECT offer_id, at FROM v
       UNION ALL SELECT landing_id, at FROM v UNION ALL SELECT network_id, at FROM o UNION ALL SELECT event_type_id, at FROM o
     ) all_of WHERE id <> '' GROUP BY id`,
    [deskId, PARTS_SEEN_DAYS, dayAgo(PARTS_SEEN_DAYS)],
  );
  return { rows: rows.map((r) => ({ id: r.id, at: new Date(r.at).toISOString() })) };
}
