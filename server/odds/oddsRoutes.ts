/** The odds of a campaign's automatic splits, with what they come from. */
import type { SplitOddsRow } from '@tracheon/core/contract';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { findPart } from '../parts/partRecords.ts';

export function oddsRoutes(mount: Mount, { pool, models }: ApiGround): void {
  mount('splitOdds', async ({ signed, id }) => {
    await findPart(models, signed.deskId, 'campaign', id);
    const { rows } = await pool.query<Omit<SplitOddsRow, 'computedAt'> & { computedAt: Date }>(
      `SELECT way_id AS "wayId", computed_at AS "computedAt", state, draws, arms FROM split_odds
       WHERE desk_id = $1 AND campaign_id = $2 ORDER BY way_id`,
      [signed.deskId, id],
    );
    return rows.map((r) => ({ ...r, computedAt: r.computedAt.toISOString() }));
  });
}
