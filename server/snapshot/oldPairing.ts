/** The offers of a pairing that a campaign no longer has: visitors may still be on its page. */
import type { Pool } from 'pg';
import type { CampaignInput } from '@tracheon/core/contract';
import { pairingsOf } from '@tracheon/core/routing';
import type { StoredVisit } from '@tracheon/core/visits';

/** IDs by button, as the campaign had them when the visit came; none where that is not known. */
export async function offersOfOldPairing(
  pool: Pool,
  { deskId, campaignId, campaignVersion, pairingId }: StoredVisit,
): Promise<readonly string[]> {
  const { rows } = await pool.query<{ body: CampaignInput }>(
    'SELECT body FROM part_versions WHERE desk_id = $1 AND part_id = $2 AND version = $3',
    [deskId, campaignId, campaignVersion],
  );
  return (rows[0] && pairingsOf(rows[0].body).find((p) => p.id === pairingId)?.offerIds) ?? [];
}
