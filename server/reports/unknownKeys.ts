/**
 * Keys that nobody has. A call belongs to the desk whose tracking domain it came under; one under the server's own address,
 * or a name that nobody set up, to the first desk.
 */
import type { Pool } from 'pg';
import type { UnknownKeyRow } from '@tracheon/core/contract';

const OWNED = `FROM unknown_keys u LEFT JOIN tracking_domains d ON d.host = u.host
  WHERE coalesce(d.desk_id, (SELECT id FROM desks ORDER BY created_at, id LIMIT 1)) = $1`;
const MAX_ROWS = 200;

export async function listUnknownKeys(pool: Pool, deskId: string): Promise<UnknownKeyRow[]> {
  const { rows } = await pool.query<Omit<UnknownKeyRow, 'lastAt'> & { lastAt: Date }>(
    `SELECT u.kind, u.key, u.host, u.times::int AS times, u.last_at AS "lastAt", u.last_country AS "lastCountry"
     ${OWNED} ORDER BY u.last_at DESC, u.key LIMIT ${MAX_ROWS}`,
    [deskId],
  );
  return rows.map((r) => ({ ...r, lastAt: r.lastAt.toISOString() }));
}

export async function dismissUnknownKey(
  pool: Pool,
  deskId: string,
  { kind, key, host }: Pick<UnknownKeyRow, 'kind' | 'key' | 'host'>,
): Promise<boolean> {
  const done = await pool.query(
    `DELETE FROM unknown_keys WHERE (kind, key, host) IN (SELECT u.kind, u.key, u.host ${OWNED}
       AND u.kind = $2 AND u.key = $3 AND u.host = $4)`,
    [deskId, kind, key, host],
  );
  return (done.rowCount ?? 0) > 0;
}

/** How many unknown keys were called within the last day. */
export async function unknownKeysToday(pool: Pool, deskId: string): Promise<number> {
  const { rows } = await pool.query<{ keys: number }>(
    `SELECT count(*)::int AS keys ${OWNED} AND u.last_at > now() - interval '24 hours'`,
    [deskId],
  );
  return rows[0]!.keys;
}
