/**
 * Postbacks passed on to a second address, as they came: for a parallel month beside an earlier system. At least once, by the
 * same guard as postbacks to sources; whoever gets them knows a repeat by its Idempotency-Key.
 */
import type { Pool } from 'pg';
import { clickIdDay } from '@tracheon/core/identity';
import { inEventTransaction } from '../db/pools.ts';
import type { RepeatedJob } from '../jobs/job.ts';
import { RELAYED_DAYS } from '../limits/limits.ts';
import { Refused, type Call } from './outgoing.ts';
import { delayBefore, GIVE_UP_MS, mayRetry } from './retries.ts';

const LOOK_EVERY_MS = 1000;
const CLEAN_EVERY_MS = 3_600_000;
/** At a time, of all networks together. */
const AT_ONCE = 16;
/** A claimed row is nobody else's for this long; longer than any request may take. */
const CLAIM_SECONDS = 30;
const MAX_RESULT_LENGTH = 300;

interface Due {
  desk_id: string;
  receipt_id: string;
  tries: number;
  trying_since: Date;
  /** Where it goes now; null once the network passes nothing on any more. */
  to: string | null;
  method: string;
  query: string;
  body: string;
  content_type: string;
}

export interface RelayDeps {
  pool: Pool;
  call: Call;
  random: () => number;
  now: () => number;
}

export const relayJob = (deps: RelayDeps): RepeatedJob => ({
  everyMs: LOOK_EVERY_MS,
  trouble: 'postbacks to pass on wait',
  run: async () => {
    for (;;) {
      const due = await claim(deps.pool);
      await Promise.all(due.map((one) => passOn(deps, one)));
      if (due.length < AT_ONCE) break;
    }
  },
});

/** Also of what still waits for a postback that is no longer kept. */
export const relayCleanup = (pool: Pool): RepeatedJob => ({
  everyMs: CLEAN_EVERY_MS,
  trouble: 'passed-on postbacks are forgotten later',
  run: async () => {
    await pool.query(
      `DELETE FROM relayed WHERE trying_since < now() - make_interval(days => ${RELAYED_DAYS})`,
    );
  },
});

async function claim(pool: Pool): Promise<Due[]> {
  const claimed = await inEventTransaction(pool, async (client) => {
    const { rows } = await client.query<{ desk_id: string; receipt_id: string }>(
      `UPDATE relayed SET tries = tries + 1, next_try_at = now() + make_interval(secs => ${CLAIM_SECONDS})
       WHERE (desk_id, receipt_id) IN (SELECT desk_id, receipt_id FROM relayed WHERE state = 'waiting' AND next_try_at <= now()
         ORDER BY next_try_at LIMIT ${AT_ONCE} FOR UPDATE SKIP LOCKED)
       RETURNING desk_id, receipt_id`,
    );
    return rows;
  });
  if (claimed.length === 0) return [];
  const { rows } = await pool.query<Due>(
    `SELECT x.desk_id, x.receipt_id, x.tries, x.trying_since, nullif(p.body->>'relayUrl', '') AS to,
       r.method, r.query, r.body, r.content_type
     FROM relayed x JOIN parts p ON p.id = x.network_id
     JOIN receipts r ON r.desk_id = x.desk_id AND r.id = x.receipt_id AND r.day = ANY ($3::date[])
     WHERE (x.desk_id, x.receipt_id) IN (SELECT * FROM unnest($1::text[], $2::text[]))`,
    [
      claimed.map((c) => c.desk_id),
      claimed.map((c) => c.receipt_id),
      [...new Set(claimed.map((c) => clickIdDay(c.receipt_id)))],
    ],
  );
  return rows;
}

async function passOn({ pool, call, random, now }: RelayDeps, due: Due): Promise<void> {
  let httpStatus: number | null = null;
  let result: string;
  let isRefused = due.to === null;
  try {
    if (due.to === null) result = 'not passed on: the network no longer has an address for it';
    else {
      const isPost = due.method === 'POST';
      const headers = {
        'Idempotency-Key': due.receipt_id,
        'User-Agent': 'Tracheon',
        ...(isPost && due.content_type !== '' ? { 'Content-Type': due.content_type } : {}),
      };
      ({ status: httpStatus } = await call(
        withQuery(due.to, due.query),
        headers,
        isPost ? due.body : undefined,
      ));
      result = httpStatus >= 200 && httpStatus < 300 ? 'delivered' : `answered ${httpStatus}`;
    }
  } catch (error) {
    isRefused =
      error instanceof Refused ||
      (error as { cause?: unknown }).cause instanceof Refused ||
      error instanceof TypeError;
    result = `${isRefused ? 'not passed on: ' : ''}${error instanceof Error ? error.message || error.name : String(error)}`;
  }
  const isLate = now() - due.trying_since.getTime() > GIVE_UP_MS;
  const isOver = isRefused || !mayRetry(httpStatus) || isLate;
  await pool.query(
    `UPDATE relayed SET state = $3, result = $4, next_try_at = now() + make_interval(secs => $5)
     WHERE desk_id = $1 AND receipt_id = $2`,
    [
      due.desk_id,
      due.receipt_id,
      result === 'delivered' ? 'delivered' : isOver ? 'gave_up' : 'waiting',
      result.slice(0, MAX_RESULT_LENGTH),
      delayBefore(due.tries + 1, random()) / 1000,
    ],
  );
}

/** The query as it came, behind what the address has already. */
function withQuery(url: string, query: string): string {
  if (query === '') return url;
  const [base = '', fragment] = url.split('#', 2);
  const joined = `${base}${base.includes('?') ? (/[?&]$/.test(base) ? '' : '&') : '?'}${query}`;
  return fragment === undefined ? joined : `${joined}#${fragment}`;
}
