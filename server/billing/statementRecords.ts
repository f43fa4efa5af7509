/** Statements as they are kept, and as the API tells them. */
import type { Pool } from 'pg';
import type { BillingLine, BillingOpen, BillingSide, BillingStatement, Page } from '@tracheon/core/contract';
import type { Reads } from '../db/pools.ts';
import { Problem } from '../problems/problem.ts';
import { heldEntries, openEntries } from './openEntries.ts';

/** More are of years ago. */
const MAX_LISTED = 1000;

/** What no statement holds, by party and currency; also of those whose last statement left a rest. */
export async function billingOpen(
  pool: Pool,
  deskId: string,
  side: BillingSide,
  /** Of one party alone; empty: of all. */
  partyId = '',
): Promise<BillingOpen[]> {
  const { rows } = await pool.query<Omit<BillingOpen, 'id'>>(
    `WITH open AS (
       SELECT party_id, currency, count(DISTINCT conversion_id)::int AS conversions, sum(delta_micros) AS open,
         coalesce(sum(delta_micros) FILTER (WHERE is_payable), 0) AS payable
       FROM (${openEntries(side, 'now()')}) e GROUP BY 1, 2),
     held AS (SELECT party_id, currency, sum(delta_micros) AS held FROM (${heldEntries(side)}) h GROUP BY 1, 2),
     last AS (SELECT DISTINCT ON (party_id, currency) party_id, currency, carried_out_micros AS carried FROM billing_statements
       WHERE desk_id = $1 AND side = $2 AND NOT is_void ORDER BY party_id, currency, id DESC)
     SELECT p.id AS "partyId", p.name AS "partyName", k.currency, coalesce(o.conversions, 0) AS conversions,
       coalesce(o.open, 0)::text AS "openMicros", coalesce(o.payable, 0)::text AS "payableMicros",
       coalesce(h.held, 0)::text AS "onHoldMicros", coalesce(l.carried, 0)::text AS "carriedMicros"
     FROM (SELECT party_id, currency FROM open UNION SELECT party_id, currency FROM held WHERE held <> 0
       UNION SELECT party_id, currency FROM last WHERE carried <> 0) k
     JOIN parts p ON p.desk_id = $1 AND p.id = k.party_id
     LEFT JOIN open o USING (party_id, currency) LEFT JOIN held h USING (party_id, currency) LEFT JOIN last l USING (party_id, currency)
     WHERE $3 = '' OR p.id = $3
     ORDER BY lower(p.name), k.currency`,
    [deskId, side, partyId],
  );
  return rows.map((r) => ({ id: `${r.partyId} ${r.currency}`, ...r }));
}

const STATEMENT = `SELECT s.id, s.number, s.side, s.party_id AS "partyId", coalesce(p.name, '') AS "partyName", s.currency, s.until,
    s.total_micros AS "totalMicros", s.carried_in_micros AS "carriedInMicros", s.paid_micros AS "paidMicros",
    s.carried_out_micros AS "carriedOutMicros", s.conversions, s.adjustments, s.adjustment_micros AS "adjustmentMicros",
    CASE WHEN s.is_void THEN 'void' WHEN y.state = 'paid' THEN 'paid' ELSE 'issued' END AS state,
    s.issued_at AS "issuedAt", coalesce(m.name, '') AS "issuedBy", s.payment_id AS "paymentId", s.void_reason AS "voidReason"
  FROM billing_statements s LEFT JOIN parts p ON p.id = s.party_id LEFT JOIN members m ON m.id = s.issued_by
  LEFT JOIN billing_payments y ON y.id = s.payment_id`;
type Stored = Omit<BillingStatement, 'until' | 'issuedAt'> & Record<'until' | 'issuedAt', Date>;
const asStatement = (r: Stored): BillingStatement => ({
  ...r,
  until: r.until.toISOString(),
  issuedAt: r.issuedAt.toISOString(),
});

export async function billingStatements(
  pool: Pool,
  deskId: string,
  side: BillingSide,
  partyId = '',
): Promise<BillingStatement[]> {
  const { rows } = await pool.query<Stored>(
    `${STATEMENT} WHERE s.desk_id = $1 AND s.side = $2 AND ($3 = '' OR s.party_id = $3) ORDER BY s.number DESC LIMIT ${MAX_LISTED}`,
    [deskId, side, partyId],
  );
  return rows.map(asStatement);
}

export async function billingStatement(db: Reads, deskId: string, id: string): Promise<BillingStatement> {
  const { rows } = await db.query<Stored>(`${STATEMENT} WHERE s.desk_id = $1 AND s.id = $2`, [deskId, id]);
  if (!rows[0]) throw new Problem('not_found');
  return asStatement(rows[0]);
}

/** By conversion; `cursor` is the last one of the page before. */
export async function billingLines(
  pool: Pool,
  deskId: string,
  id: string,
  { cursor, limit }: { cursor: string; limit: number },
): Promise<Page<BillingLine>> {
  const { side } = await billingStatement(pool, deskId, id);
  const { rows } = await pool.query<Omit<BillingLine, 'at'> & { at: Date | null }>(
    `SELECT b.*, c.converted_at AS at, coalesce(o.name, '') AS "offerName", coalesce(e.name, '') AS "eventName",
       coalesce(c.transaction, '') AS transaction, coalesce(c.click_id, '') AS "clickId",
       coalesce(${side === 'partner' ? 'c.partner_status' : 'c.status'}, '') AS status
     FROM (SELECT conversion_id AS id, sum(delta_micros)::text AS micros, bool_or(is_adjustment) AS "isAdjustment"
       FROM billing_entries WHERE statement_id = $1 AND conversion_id > $2 GROUP BY 1 ORDER BY 1 LIMIT $3) b
     LEFT JOIN conversions c ON c.id = b.id LEFT JOIN parts o ON o.id = c.offer_id LEFT JOIN parts e ON e.id = c.event_type_id
     ORDER BY b.id`,
    [id, cursor, limit + 1],
  );
  const shown = rows.slice(0, limit).map((r) => ({ ...r, at: r.at && r.at.toISOString() }));
  return { rows: shown, next: rows.length > limit ? shown.at(-1)!.id : null };
}
