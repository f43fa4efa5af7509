/** Converts what stood unconverted once a rate has arrived, by judging the conversions' owners again. */
import type { Pool } from 'pg';
import { clickIdDay } from '@tracheon/core/identity';
import type { ReceiptRecord } from '../events/rows.ts';
import { loadReceipt } from './sweeper.ts';

/** Returns how many conversions have an amount in the desk's currency now and had none before. */
export async function rebookUnconverted(
  pool: Pool,
  judge: (receipt: ReceiptRecord) => Promise<unknown>,
  deskId: string,
  currency: string,
): Promise<number> {
  const count = async (): Promise<{ ids: string[]; receipts: string[] }> => {
    const { rows } = await pool.query<{ id: string; receipt: string }>(
      `SELECT c.id, min(o.receipt_id) AS receipt FROM conversions c
       JOIN outcomes o ON o.desk_id = c.desk_id AND o.owner = c.owner AND o.event_type_id = c.event_type_id AND o.reading IS NOT NULL
       WHERE c.desk_id = $1 AND ((c.currency = $2 AND c.base_micros IS NULL)
         OR (c.partner_currency = $2 AND c.partner_base_micros IS NULL)) GROUP BY c.id`,
      [deskId, currency],
    );
    return { ids: rows.map((r) => r.id), receipts: [...new Set(rows.map((r) => r.receipt))] };
  };
  const before = await count();
  for (const id of before.receipts) {
    const receipt = await loadReceipt(pool, deskId, id, clickIdDay(id));
    if (receipt) await judge(receipt);
  }
  return before.ids.length - (await count()).ids.length;
}
