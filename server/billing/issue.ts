/**
 * Issuing and voiding statements. Everything of a desk's billing happens one after the other, by a lock of the desk: an entry
 * is on one statement at most, which the table's key holds as well, and the rest of one statement begins the next.
 */
import type { Pool } from 'pg';
import type { z } from 'zod';
import { settle } from '@tracheon/core/billing';
import type { BillingStatement, issueStatement } from '@tracheon/core/contract';
import { ulidAt } from '../db/pooledUlid.ts';
import { inEventTransaction, type Reads } from '../db/pools.ts';
import { Problem } from '../problems/problem.ts';
import type { Editor } from '../parts/partRecords.ts';
import { openEntries, partKindOf } from './openEntries.ts';
import { billingStatement } from './statementRecords.ts';

type Wanted = z.output<typeof issueStatement>;

export const lockBilling = (client: Reads, deskId: string): Promise<unknown> =>
  client.query('SELECT pg_advisory_xact_lock(hashtextextended($1, 0))', [`billing|${deskId}`]);

export const issue = (pool: Pool, by: Editor, wanted: Wanted, nowMs: number): Promise<BillingStatement> =>
  inEventTransaction(pool, async (client) => {
    const { deskId } = by;
    await lockBilling(client, deskId);
    await checkParty(client, deskId, wanted);
    const carriedIn = await lastRest(client, deskId, wanted);
    const until = new Date(Math.min(nowMs, wanted.until === '' ? nowMs : Date.parse(wanted.until)));
    const id = await begin(client, by, wanted, until, nowMs);
    const taken = await take(client, deskId, id, wanted, until);
    if (taken.entries === 0) throw new Problem('nothing_to_bill');
    const total = BigInt(taken.total);
    const { paid, carried } = settle(total, carriedIn, wanted.currency);
    await client.query(
      `UPDATE billing_statements SET total_micros = $2, carried_in_micros = $3, paid_micros = $4, carried_out_micros = $5,
         conversions = $6, adjustments = $7, adjustment_micros = $8 WHERE id = $1`,
      [id, total, carriedIn, paid, carried, taken.conversions, taken.adjustments, taken.adjusted],
    );
    return billingStatement(client, deskId, id);
  });

async function checkParty(client: Reads, deskId: string, { side, partyId }: Wanted): Promise<void> {
  const { rowCount } = await client.query(
    'SELECT 1 FROM parts WHERE desk_id = $1 AND id = $2 AND kind = $3',
    [deskId, partyId, partKindOf[side]],
  );
  if (rowCount === 0) throw new Problem('not_found');
}

/** What the last statement of the party in this currency left. */
async function lastRest(client: Reads, deskId: string, { side, partyId, currency }: Wanted): Promise<bigint> {
  const { rows } = await client.query<{ carried: string }>(
    `SELECT carried_out_micros AS carried FROM billing_statements
     WHERE desk_id = $1 AND side = $2 AND party_id = $3 AND currency = $4 AND NOT is_void ORDER BY id DESC LIMIT 1`,
    [deskId, side, partyId, currency],
  );
  return BigInt(rows[0]?.carried ?? 0);
}

/** The statement without anything in it, under the next number. IDs are in the order of the numbers, whatever the clock says. */
async function begin(
  client: Reads,
  { deskId, memberId }: Editor,
  { side, partyId, currency }: Wanted,
  until: Date,
  nowMs: number,
): Promise<string> {
  const { rows } = await client.query<{ number: number; last: string | null }>(
    `SELECT coalesce(max(number), 0)::int + 1 AS number, max(id) AS last FROM billing_statements
     WHERE desk_id = $1 AND side = $2`,
    [deskId, side],
  );
  const { number, last } = rows[0]!;
  const id = idAfter(last, nowMs);
  await client.query(
    `INSERT INTO billing_statements (id, desk_id, side, number, party_id, currency, until, total_micros, carried_in_micros,
       paid_micros, carried_out_micros, conversions, adjustments, adjustment_micros, issued_by, issued_at)
     VALUES ($1, $2, $3, $4, $5, $6, $7, 0, 0, 0, 0, 0, 0, 0, $8, $9)`,
    [id, deskId, side, number, partyId, currency, until, memberId, new Date(nowMs)],
  );
  return id;
}
function idAfter(last: string | null, nowMs: number): string {
  for (let ms = nowMs; ; ms++) {
    const id = ulidAt(ms);
    if (last === null || id > last) return id;
  }
}

interface Taken {
  entries: number;
  total: string;
  conversions: number;
  adjustments: number;
  adjusted: string;
}
async function take(
  client: Reads,
  deskId: string,
  id: string,
  { side, partyId, currency }: Wanted,
  until: Date,
): Promise<Taken> {
  const { rows } = await client.query<Taken>(
    `WITH taken AS (
       INSERT INTO billing_entries (ledger_id, statement_id, conversion_id, delta_micros, is_adjustment)
       SELECT e.id, $2, e.conversion_id, e.delta_micros, EXISTS (SELECT 1 FROM billing_entries b
         JOIN billing_statements s ON s.id = b.statement_id WHERE b.conversion_id = e.conversion_id AND s.side = $3)
       FROM (${openEntries(side, '$6::timestamptz')}) e WHERE e.party_id = $4 AND e.currency = $5 AND e.is_payable
       RETURNING conversion_id, delta_micros, is_adjustment)
     SELECT count(*)::int AS entries, coalesce(sum(delta_micros), 0)::text AS total, count(DISTINCT conversion_id)::int AS conversions,
       (count(DISTINCT conversion_id) FILTER (WHERE is_adjustment))::int AS adjustments,
       coalesce(sum(delta_micros) FILTER (WHERE is_adjustment), 0)::text AS adjusted FROM taken`,
    [deskId, id, side, partyId, currency, until],
  );
  return rows[0]!;
}

/** Its entries are open again. Only the newest of its party and currency: the next one begins with its rest. */
export const voidStatement = (
  pool: Pool,
  { deskId }: Editor,
  id: string,
  reason: string,
): Promise<BillingStatement> =>
  inEventTransaction(pool, async (client) => {
    await lockBilling(client, deskId);
    const { side, partyId, currency, state, paymentId } = await billingStatement(client, deskId, id);
    const { rowCount } = await client.query(
      `SELECT 1 FROM billing_statements WHERE desk_id = $1 AND side = $2 AND party_id = $3 AND currency = $4 AND id > $5 AND NOT is_void`,
      [deskId, side, partyId, currency, id],
    );
    if (state === 'void') return billingStatement(client, deskId, id);
    if (paymentId !== '' || rowCount !== 0) throw new Problem('statement_in_use');
    await client.query('DELETE FROM billing_entries WHERE statement_id = $1', [id]);
    await client.query('UPDATE billing_statements SET is_void = true, void_reason = $2 WHERE id = $1', [
      id,
      reason,
    ]);
    return billingStatement(client, deskId, id);
  });
