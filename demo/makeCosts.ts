/** What two sources billed: a whole week with a little more than was estimated, and a refund. */
import type { Pool } from 'pg';
import { localDay, shiftDay } from '@tracheon/core/time';
import { addByHand, type CostOwner } from '@tracheon/server/costs/costStore.ts';

/** Billed more than the visits that arrived would cost, in percent. */
const MORE_PERCENT = 104n;
const CENTS = 10_000n;

export async function makeCosts(
  pool: Pool,
  owner: CostOwner,
  { billed, refunded, zone }: { billed: string; refunded: string; zone: string },
  nowMs: number,
): Promise<void> {
  const to = shiftDay(localDay(nowMs, zone), -3);
  const from = shiftDay(to, -6);
  const { rows } = await pool.query<{ micros: string }>(
    `SELECT coalesce(sum(cost_micros), 0)::bigint AS micros FROM visits WHERE desk_id = $1 AND source_id = $2 AND NOT is_test
       AND day BETWEEN $3::date - 1 AND $4::date + 1 AND (at AT TIME ZONE $5)::date BETWEEN $3 AND $4`,
    [owner.deskId, billed, from, to, zone],
  );
  const amount = ((BigInt(rows[0]!.micros) * MORE_PERCENT) / 100n / CENTS) * CENTS;
  const blank = { campaignId: '', accountId: '', subs: [], isCredit: false };
  await addByHand(pool, owner, {
    ...blank,
    sourceId: billed,
    from,
    to,
    amountMicros: String(amount),
    notes: 'Weekly invoice',
  });
  const day = shiftDay(to, -2);
  await addByHand(pool, owner, {
    ...blank,
    sourceId: refunded,
    from: day,
    to: day,
    isCredit: true,
    amountMicros: '12500000',
    notes: 'Refund for bot traffic',
  });
}
