/**
 * Sends what stands in the outbox, at least once, in order per conversion. A row is claimed with `for update skip
 * locked` and its next try moved ahead before the request leaves, so a process that dies mid-call leaves a row that
 * is tried again. Every attempt is logged. After GIVE_UP_MS, or on an answer that no retry will change, it is parked.
 */
import type { Pool } from 'pg';
import { inTransaction } from '../db/pools.ts';
import { Refused, type Call } from './outgoing.ts';
import { delayBefore, GIVE_UP_MS, mayRetry } from './retries.ts';

const BATCH = 20;
/** A claimed row is nobody else's for this long; longer than any request may take. */
const CLAIM_SECONDS = 30;

interface Due {
  id: string;
  desk_id: string;
  url: string;
  tries: number;
  trying_since: Date;
}
export interface SenderDeps {
  pool: Pool;
  call: Call;
  random: () => number;
  now: () => number;
  onAttempt: (deskId: string, delivered: boolean) => void;
}

/** Sends what is due now; returns how many calls were made. */
export async function sendDue(deps: SenderDeps): Promise<number> {
  const due = await inTransaction(deps.pool, async (client) => {
    const { rows } = await client.query<Due>(
      `SELECT o.id, o.desk_id, o.url, o.tries, o.trying_since FROM outbox o
       WHERE o.state = 'waiting' AND o.next_try_at <= now()
         AND NOT EXISTS (SELECT 1 FROM outbox e WHERE e.desk_id = o.desk_id AND e.conversion_id = o.conversion_id
                         AND e.state = 'waiting' AND (e.seq, e.id) < (o.seq, o.id))
       ORDER BY o.next_try_at LIMIT $1 FOR UPDATE OF o SKIP LOCKED`,
      [BATCH],
    );
    await client.query(
      `UPDATE outbox SET tries = tries + 1, next_try_at = now() + make_interval(secs => $2) WHERE id = ANY ($1)`,
      [rows.map((r) => r.id), CLAIM_SECONDS],
    );
    return rows;
  });
  await Promise.all(due.map((row) => attempt(deps, row)));
  return due.length;
}

async function attempt(deps: SenderDeps, row: Due): Promise<void> {
  const started = deps.now();
  let httpStatus: number | null = null;
  let result: string;
  let refused = false;
  try {
    ({ status: httpStatus } = await deps.call(row.url, {
      'Idempotency-Key': row.id,
      'User-Agent': 'Tracheon',
    }));
    result = httpStatus >= 200 && httpStatus < 300 ? 'delivered' : `answered ${httpStatus}`;
  } catch (error) {
    refused =
      error instanceof Refused ||
      (error as { cause?: unknown }).cause instanceof Refused ||
      error instanceof TypeError;
    result =
      `${refused ? 'not called: ' : ''}${error instanceof Error ? error.message || error.name : String(error)}`.slice(
        0,
        300,
      );
  }
  const delivered = result === 'delivered';
  const late = deps.now() - row.trying_since.getTime() > GIVE_UP_MS;
  const state = delivered ? 'delivered' : refused || !mayRetry(httpStatus) || late ? 'gave_up' : 'waiting';
  await inTransaction(deps.pool, async (client) => {
    await client.query(
      'INSERT INTO attempts (outbox_id, at, result, http_status, took_ms) VALUES ($1, $2, $3, $4, $5)',
      [row.id, new Date(started), result, httpStatus, deps.now() - started],
    );
    await client.query(
      `UPDATE outbox SET state = $2, next_try_at = now() + make_interval(secs => $3),
         delivered_at = CASE WHEN $2 = 'delivered' THEN now() ELSE delivered_at END WHERE id = $1`,
      [row.id, state, delayBefore(row.tries + 1, deps.random()) / 1000],
    );
  });
  deps.onAttempt(row.desk_id, delivered);
}
