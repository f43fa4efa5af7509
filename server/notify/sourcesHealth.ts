/** How each source and partner took the postbacks of the last days: what arrived, what waits, how long it takes to answer, what failed. */
import type { Pool } from 'pg';
import { HEALTH_DAYS, type SourceHealth } from '@tracheon/core/contract';

export async function sourcesHealth(pool: Pool, deskId: string): Promise<SourceHealth[]> {
  const { rows } = await pool.query<Omit<SourceHealth, 'lastDeliveredAt'> & { lastDeliveredAt: Date | null }>(
    `WITH sent AS MATERIALIZED (
       SELECT id, destination_id, state, delivered_at FROM outbox
       WHERE desk_id = $1 AND (state IN ('waiting', 'on_page') OR created_at > now() - make_interval(days => ${HEALTH_DAYS}))),
     tried AS MATERIALIZED (
       SELECT sent.destination_id, a.* FROM sent JOIN attempts a ON a.outbox_id = sent.id
       WHERE a.at > now() - make_interval(days => ${HEALTH_DAYS}))
     SELECT s.destination_id AS "sourceId", p.name AS "sourceName",
       count(*) FILTER (WHERE s.state = 'delivered')::int AS delivered,
       count(*) FILTER (WHERE s.state IN ('waiting', 'on_page'))::int AS waiting,
       count(*) FILTER (WHERE s.state = 'gave_up')::int AS "gaveUp",
       max(s.delivered_at) AS "lastDeliveredAt",
       (SELECT percentile_disc(0.5) WITHIN GROUP (ORDER BY took_ms) FROM tried t
        WHERE t.destination_id = s.destination_id AND t.http_status IS NOT NULL) AS "medianMs",
       (SELECT json_build_object('at', t.at, 'result', t.result) FROM tried t
        WHERE t.destination_id = s.destination_id AND t.result <> 'delivered' ORDER BY t.id DESC LIMIT 1) AS "lastFailure"
     FROM sent s JOIN parts p ON p.id = s.destination_id GROUP BY s.destination_id, p.name ORDER BY p.name`,
    [deskId],
  );
  return rows.map((r) => ({ ...r, lastDeliveredAt: r.lastDeliveredAt?.toISOString() ?? null }));
}
