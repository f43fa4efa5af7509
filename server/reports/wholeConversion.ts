/** One conversion with everything that made it what it is: its receipts, its bookings, the postbacks sent for it. */
import type { Pool } from 'pg';
import type { WholeConversion } from '@tracheon/core/contract';
import { reasonSentence } from '@tracheon/core/conversions';
import { rateText } from '@tracheon/core/money';
import { dayOfReceipt, daysOfReceipts } from '../db/partitions.ts';
import { MEMBER, REASON } from '../intake/readReceipt.ts';
import { conversionsOf, oneConversion, postbacksOutOf } from './lists.ts';

/** Null when there is no such conversion. */
export async function wholeConversion(
  pool: Pool,
  deskId: string,
  id: string,
): Promise<WholeConversion | null> {
  const [conversion, owner] = await Promise.all([oneConversion(pool, deskId, id), ownerOf(pool, deskId, id)]);
  if (!conversion) return null;
  const [receipts, ledger, sent, all] = await Promise.all([
    receiptsOf(pool, deskId, id, owner),
    ledgerOf(pool, deskId, id),
    postbacksOutOf(pool, deskId, owner),
    conversionsOf(pool, deskId, owner),
  ]);
  return {
    conversion,
    receipts,
    ledger,
    sent: sent.filter((s) => s.conversionId === id),
    others: all.filter((c) => c.id !== id),
  };
}

async function ownerOf(pool: Pool, deskId: string, id: string): Promise<string> {
  const { rows } = await pool.query<{ owner: string }>(
    'SELECT owner FROM conversions WHERE desk_id = $1 AND id = $2',
    [deskId, id],
  );
  return rows[0]?.owner ?? '';
}

type Receipt = WholeConversion['receipts'][number];
const MAX_RECEIPTS = 200;

async function receiptsOf(pool: Pool, deskId: string, id: string, owner: string): Promise<Receipt[]> {
  const days = await daysOfReceipts(
    pool,
    `SELECT receipt_id FROM outcomes WHERE desk_id = $1 AND owner = $3 AND conversion_id = $2
     ORDER BY receipt_id LIMIT ${MAX_RECEIPTS}`,
    [deskId, id, owner],
  );
  const { rows } = await pool.query<
    Omit<Receipt, 'at' | 'sentence' | 'reason'> & {
      at: Date;
      why: Parameters<typeof reasonSentence>[0];
      detail: string;
      reason: string | null;
    }
  >(
    `SELECT o.receipt_id AS id, o.received_at AS at, o.channel, o.outcome, o.reason AS why, o.detail,
       coalesce(o.reading->>'status', '') AS status, o.reading->>'payout' AS "payoutMicros",
       coalesce(o.reading->>'currency', '') AS currency, coalesce(r.headers->>$4, '') AS reason, coalesce(m.name, '') AS by
     FROM outcomes o JOIN receipts r ON r.desk_id = o.desk_id AND r.id = o.receipt_id AND ${dayOfReceipt('r.day', 'o.received_at')}
       AND r.day = ANY ($6::date[])
     LEFT JOIN members m ON m.id = r.headers->>$5
     WHERE o.desk_id = $1 AND o.owner = $3 AND o.conversion_id = $2 ORDER BY o.receipt_id LIMIT ${MAX_RECEIPTS}`,
    [deskId, id, owner, REASON, MEMBER, days],
  );
  return rows.map(({ why, detail, ...r }) => ({
    ...r,
    at: r.at.toISOString(),
    sentence: reasonSentence(why, detail),
    reason: r.reason ?? '',
  }));
}

async function ledgerOf(pool: Pool, deskId: string, id: string): Promise<WholeConversion['ledger']> {
  const { rows } = await pool.query<
    Omit<WholeConversion['ledger'][number], 'at' | 'rate'> & { at: Date; nanos: string | null }
  >(
    `SELECT booked_at AS at, kind, delta_micros AS "deltaMicros", currency, rate_nanos AS nanos,
       base_delta_micros AS "baseDeltaMicros", receipt_id AS "receiptId"
     FROM ledger WHERE desk_id = $1 AND conversion_id = $2 ORDER BY id LIMIT 200`,
    [deskId, id],
  );
  return rows.map(({ nanos, at, ...r }) => ({
    ...r,
    at: at.toISOString(),
    rate: nanos === null ? null : rateText(BigInt(nanos)),
  }));
}
