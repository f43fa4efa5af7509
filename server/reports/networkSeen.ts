/** What a network has sent lately: beside each URL that was handed over to it. */
import type { Pool } from 'pg';
import type { NetworkSeen } from '@tracheon/core/contract';

const DAYS = 30;

export async function seenOfNetwork(
  pool: Pool,
  deskId: string,
  networkId: string,
): Promise<NetworkSeen['rows']> {
  const { rows } = await pool.query<NetworkSeen['rows'][number] & { lastAt: Date | string }>(
    `SELECT coalesce(o.reading->>'status', '') AS status, coalesce(e.name, '') AS "eventName", o.outcome,
       count(*)::int AS count, max(o.received_at) AS "lastAt"
     FROM outcomes o LEFT JOIN parts e ON e.id = o.event_type_id
     WHERE o.desk_id = $1 AND o.network_id = $2 AND o.received_at > now() - make_interval(days => $3)
     GROUP BY 1, 2, 3 ORDER BY 4 DESC`,
    [deskId, networkId, DAYS],
  );
  return rows.map((r) => ({ ...r, lastAt: new Date(r.lastAt).toISOString() }));
}
