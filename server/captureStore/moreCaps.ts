/**
 * Caps of an offer by money and by partner, counted beside the visits like its own cap. Money counts in the offer's currency:
 * pending and approved, as it stands.
 */
import type { Pool } from 'pg';
import { isCounted, sqlStatuses, type MoreCap } from '@tracheon/core/contract';
import { capPeriodAt } from '@tracheon/core/time';
import type { CompiledOffer, Snapshot } from '../snapshot/compiled.ts';
import { moment } from './visitLeases.ts';

/** Offers that are closed to everybody, and pairs `offer|partner`. */
export interface MoreReached {
  all: string[];
  byPartner: Set<string>;
}

interface Counted {
  nth: number;
  partner: string;
  count: number;
  revenue: string;
  payout: string;
}

const COUNTED = sqlStatuses(isCounted);
const SUMS = `SELECT g.nth, CASE WHEN g.who = 'all' THEN '' ELSE c.brought_by END AS partner,
    count(*) FILTER (WHERE (e.body->>'countsAsConversion')::boolean)::int AS count,
    coalesce(sum(c.payout_micros) FILTER (WHERE c.currency = g.currency), 0)::text AS revenue,
    coalesce(sum(c.partner_micros) FILTER (WHERE c.partner_currency = g.currency AND c.partner_status IN (${COUNTED})), 0)::text AS payout
  FROM jsonb_to_recordset($1) AS g (nth int, desk text, offer text, currency text, who text, partner text, starts timestamptz)
  JOIN conversions c ON c.desk_id = g.desk AND c.offer_id = g.offer AND NOT c.is_test AND c.status IN (${COUNTED})
    AND c.converted_at >= g.starts
    AND CASE g.who WHEN 'all' THEN true WHEN 'each' THEN c.brought_by <> '' ELSE c.brought_by = g.partner END
  JOIN parts e ON e.id = c.event_type_id
  GROUP BY 1, 2`;

export async function moreReached(pool: Pool, { offers }: Snapshot, nowMs: number): Promise<MoreReached> {
  const reached: MoreReached = { all: [], byPartner: new Set() };
  const asked: { offer: CompiledOffer; cap: MoreCap }[] = [];
  for (const offer of offers.values()) for (const cap of offer.part.body.moreCaps) asked.push({ offer, cap });
  if (asked.length === 0) return reached;
  const { rows } = await pool.query<Counted>(SUMS, [
    JSON.stringify(
      asked.map(({ offer: { part, zone }, cap }, nth) => ({
        nth,
        desk: part.deskId,
        offer: part.id,
        currency: part.body.currency,
        who: cap.who,
        partner: cap.partnerId,
        starts: moment(capPeriodAt(nowMs, cap.period, zone).startMs),
      })),
    ),
  ]);
  for (const row of rows) {
    const { offer, cap } = asked[row.nth]!;
    if (!isFull(cap, row)) continue;
    if (cap.who === 'all') reached.all.push(offer.part.id);
    else reached.byPartner.add(`${offer.part.id}|${row.partner}`);
  }
  return reached;
}

function isFull({ measure, count, amountMicros }: MoreCap, sums: Counted): boolean {
  if (measure === 'conversions') return sums.count >= count;
  return BigInt(sums[measure]) >= BigInt(amountMicros);
}
