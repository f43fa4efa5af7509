/** Approval by offer and event type over all conversions of a desk. */
import type { Pool } from 'pg';
import { sqlStatuses, statusOf } from '@tracheon/core/contract';
import { approvalRates, type ApprovalRate } from '@tracheon/core/metrics';

export async function loadApproval(pool: Pool, deskId: string): Promise<ApprovalRate> {
  const { rows } = await pool.query<{
    offer_id: string;
    network_id: string;
    event_type_id: string;
    approved: string;
    decided: string;
  }>(
    `SELECT offer_id, network_id, event_type_id, count(*) FILTER (WHERE status = 'approved') AS approved,
       count(*) FILTER (WHERE status IN (${sqlStatuses((s) => statusOf[s].isDecided)})) AS decided
     FROM conversions WHERE desk_id = $1 AND NOT is_test GROUP BY 1, 2, 3`,
    [deskId],
  );
  return approvalRates(
    rows.map((r) => ({
      offerId: r.offer_id,
      networkId: r.network_id,
      eventTypeId: r.event_type_id,
      approved: Number(r.approved),
      decided: Number(r.decided),
    })),
  );
}
