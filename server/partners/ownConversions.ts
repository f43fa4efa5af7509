/** A partner's conversions as it may see them: what it gets for each, and why a payout was decided as it was. */
import type { Pool } from 'pg';
import { isTakenBack, sqlStatuses, type ConversionStatus, type Page } from '@tracheon/core/contract';
import type { OwnConversion } from '@tracheon/core/contract/partnerPage';
import { dayOfReceipt } from '../db/partitions.ts';
import { REASON } from '../intake/readReceipt.ts';

interface Row extends Omit<OwnConversion, 'at' | 'visitAt' | 'dueAt' | 'status'> {
  at: Date;
  visitAt: Date | null;
  dueAt: Date | null;
  status: ConversionStatus;
}
const iso = (at: Date | null): string | null => at && at.toISOString();

/** The three statuses that partners are told stand for those of the records. */
const STATUSES: Record<OwnConversion['status'], string> = {
  pending: `'pending'`,
  approved: `'approved'`,
  rejected: sqlStatuses(isTakenBack),
};

/** The newest decision of a member that still holds. */
const REVIEW = `(SELECT r.headers->>$4 FROM outcomes o
    JOIN receipts r ON r.desk_id = o.desk_id AND r.id = o.receipt_id AND ${dayOfReceipt('r.day', 'o.received_at')}
    WHERE o.desk_id = c.desk_id AND o.owner = c.owner AND o.conversion_id = c.id AND o.reading->>'partnerSide' = 'review'
      AND o.outcome NOT IN ('withdrawn', 'set_aside') ORDER BY o.received_at DESC, o.receipt_id DESC LIMIT 1)`;

export async function ownConversions(
  pool: Pool,
  of: { deskId: string; partnerId: string },
  { cursor, limit, status }: { cursor: string; limit: number; status: '' | OwnConversion['status'] },
): Promise<Page<OwnConversion>> {
  const { rows } = await pool.query<Row>(
    `SELECT c.id, c.converted_at AS at, CASE WHEN c.click_id <> '' THEN c.visit_at END AS "visitAt",
       coalesce(o.name, '') AS "offerName", coalesce(e.name, '') AS "eventName", c.partner_status AS status,
       c.partner_micros AS "payoutMicros", c.partner_currency AS currency, c.subs, c.partner_due_at AS "dueAt",
       coalesce(v.source_click_id, '') AS "clickId", coalesce(${REVIEW}, '') AS reason
     FROM (SELECT * FROM conversions WHERE desk_id = $1 AND brought_by = $2 AND partner_status IS NOT NULL AND NOT is_test
         AND ($3 = '' OR id < $3) ${status === '' ? '' : `AND partner_status IN (${STATUSES[status]})`}
       ORDER BY id DESC LIMIT $5) c
     LEFT JOIN parts o ON o.id = c.offer_id LEFT JOIN parts e ON e.id = c.event_type_id
     LEFT JOIN visits v ON v.desk_id = c.desk_id AND v.day = (c.visit_at AT TIME ZONE 'UTC')::date AND v.id = c.click_id
     ORDER BY c.id DESC`,
    [of.deskId, of.partnerId, cursor, REASON, limit + 1],
  );
  const shown = rows.slice(0, limit).map((r) => ({
    ...r,
    at: r.at.toISOString(),
    visitAt: iso(r.visitAt),
    dueAt: iso(r.dueAt),
    status: isTakenBack(r.status) ? ('rejected' as const) : (r.status as 'pending' | 'approved'),
  }));
  return { rows: shown, next: rows.length > limit ? shown.at(-1)!.id : null };
}
