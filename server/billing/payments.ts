/** Payments to partners: statements put together, approved, marked as paid; each step can be taken back. */
import type { Pool } from 'pg';
import { paymentMoves, type Payment, type PaymentState } from '@tracheon/core/contract';
import { ulidAt } from '../db/pooledUlid.ts';
import { inEventTransaction, type Reads } from '../db/pools.ts';
import { Problem } from '../problems/problem.ts';
import type { Editor } from '../parts/partRecords.ts';
import { lockBilling } from './issue.ts';

const MAX_LISTED = 200;

type Stored = Omit<Payment, 'madeAt' | 'movedAt' | 'sums'> & Record<'madeAt' | 'movedAt', Date>;
async function read(db: Reads, deskId: string, id: string | null): Promise<Payment[]> {
  const { rows } = await db.query<Stored>(
    `SELECT y.id, y.number, y.state, y.made_at AS "madeAt", coalesce(a.name, '') AS "madeBy", y.moved_at AS "movedAt",
       coalesce(b.name, '') AS "movedBy",
       coalesce((SELECT json_agg(json_build_object('statementId', s.id, 'number', s.number, 'partyName', p.name,
           'email', coalesce(p.body->>'email', ''), 'billTo', coalesce(p.body->>'billTo', ''), 'currency', s.currency, 'paidMicros', s.paid_micros::text) ORDER BY lower(p.name), s.number)
         FROM billing_statements s JOIN parts p ON p.id = s.party_id WHERE s.payment_id = y.id), '[]') AS rows
     FROM billing_payments y LEFT JOIN members a ON a.id = y.made_by LEFT JOIN members b ON b.id = y.moved_by
     WHERE y.desk_id = $1 AND ($2::text IS NULL OR y.id = $2) ORDER BY y.number DESC LIMIT ${MAX_LISTED}`,
    [deskId, id],
  );
  return rows.map((r) => ({
    ...r,
    madeAt: r.madeAt.toISOString(),
    movedAt: r.movedAt.toISOString(),
    sums: sumsOf(r.rows),
  }));
}
function sumsOf(rows: Payment['rows']): Payment['sums'] {
  const sums = new Map<string, bigint>();
  for (const { currency, paidMicros } of rows)
    sums.set(currency, (sums.get(currency) ?? 0n) + BigInt(paidMicros));
  return [...sums].sort().map(([currency, micros]) => ({ currency, micros: micros.toString() }));
}

export const listPayments = (pool: Pool, deskId: string): Promise<Payment[]> => read(pool, deskId, null);

async function onePayment(db: Reads, deskId: string, id: string): Promise<Payment> {
  const [payment] = await read(db, deskId, id);
  if (!payment) throw new Problem('not_found');
  return payment;
}

export const makePayment = (
  pool: Pool,
  { deskId, memberId }: Editor,
  statementIds: readonly string[],
  nowMs: number,
): Promise<Payment> =>
  inEventTransaction(pool, async (client) => {
    await lockBilling(client, deskId);
    const id = ulidAt(nowMs);
    await client.query(
      `INSERT INTO billing_payments (id, desk_id, number, made_by, moved_by)
       SELECT $1, $2, coalesce(max(number), 0) + 1, $3, $3 FROM billing_payments WHERE desk_id = $2`,
      [id, deskId, memberId],
    );
    const wanted = [...new Set(statementIds)];
    const { rowCount } = await client.query(
      `UPDATE billing_statements SET payment_id = $3 WHERE desk_id = $1 AND id = ANY ($2) AND side = 'partner'
         AND NOT is_void AND payment_id = '' AND paid_micros > 0`,
      [deskId, wanted, id],
    );
    if (rowCount !== wanted.length) throw new Problem('statement_in_use');
    return onePayment(client, deskId, id);
  });

/** `from` is the state that the member saw. */
export const movePayment = (
  pool: Pool,
  { deskId, memberId }: Editor,
  id: string,
  { from, to }: { from: PaymentState; to: PaymentState },
): Promise<Payment> =>
  inEventTransaction(pool, async (client) => {
    await lockBilling(client, deskId);
    const { state } = await onePayment(client, deskId, id);
    if (state !== from) throw new Problem('payment_moved');
    if (!paymentMoves[from].includes(to))
      throw new Problem('invalid_input', {
        fields: [{ path: 'to', message: `A payment can’t go from ${from} to ${to}.` }],
      });
    await client.query(
      'UPDATE billing_payments SET state = $2, moved_at = now(), moved_by = $3 WHERE id = $1',
      [id, to, memberId],
    );
    const payment = await onePayment(client, deskId, id);
    if (to === 'dissolved')
      await client.query(`UPDATE billing_statements SET payment_id = '' WHERE payment_id = $1`, [id]);
    return payment;
  });
