/** Which link stands in which source: ticked off when it was pasted, asked for again when the source's parameters change. */
import type { Pool } from 'pg';
import type { PastedLink } from '@tracheon/core/contract';
import { Problem } from '../problems/problem.ts';

export async function listPasted(pool: Pool, deskId: string): Promise<PastedLink[]> {
  const { rows } = await pool.query<PastedLink & { pastedAt: Date | string }>(
    `SELECT p.campaign_id AS "campaignId", p.query, p.pasted_at AS "pastedAt", coalesce(m.name, '') AS "pastedBy"
     FROM pasted_links p LEFT JOIN members m ON m.id = p.pasted_by WHERE p.desk_id = $1 ORDER BY p.pasted_at`,
    [deskId],
  );
  return rows.map((r) => ({ ...r, pastedAt: new Date(r.pastedAt).toISOString() }));
}

export async function tickPasted(
  pool: Pool,
  by: { deskId: string; memberId: string },
  campaignId: string,
  query: string,
): Promise<void> {
  const { rowCount } = await pool.query(
    `INSERT INTO pasted_links (campaign_id, desk_id, query, pasted_by)
     SELECT id, desk_id, $3, $4 FROM parts WHERE id = $1 AND desk_id = $2 AND kind = 'campaign'
     ON CONFLICT (campaign_id) DO UPDATE SET query = excluded.query, pasted_by = excluded.pasted_by, pasted_at = now()`,
    [campaignId, by.deskId, query, by.memberId],
  );
  if (rowCount === 0) throw new Problem('not_found');
}
