/**
 * `Idempotency-Key` on calls that create: for 24 hours the same key of the same member with the same request gets the
 * first answer again, and nothing is made twice. With another request it is refused. A call that failed leaves no key
 * behind, so that it may be repeated; one whose process died is taken over after a minute, and then names and addresses
 * that are unique keep it from being made twice.
 */
import { createHmac } from 'node:crypto';
import type { Pool } from 'pg';
import { Problem } from '../problems/problem.ts';

const MAX_KEY_LENGTH = 200;
const TAKEN_OVER_AFTER_SECONDS = 60;

export interface Answered {
  status: number;
  answer: unknown;
}
export interface OnceDeps {
  pool: Pool;
  /** Bodies may hold passwords: what is kept of them is a keyed hash. */
  secret: string;
}

export async function once(
  { pool, secret }: OnceDeps,
  who: { memberId: string; deskId: string },
  key: string,
  request: { method: string; path: string; body: unknown },
  run: () => Promise<Answered>,
): Promise<Answered> {
  if (!/^[\x21-\x7e]+$/.test(key) || key.length > MAX_KEY_LENGTH)
    throw new Problem('invalid_input', {
      fields: [
        {
          path: 'Idempotency-Key',
          message: `1 to ${MAX_KEY_LENGTH} printable ASCII characters without spaces.`,
        },
      ],
    });
  const fingerprint = createHmac('sha256', secret)
    .update(JSON.stringify([who.deskId, request.method, request.path, request.body]))
    .digest();
  const { rowCount } = await pool.query(
    `INSERT INTO idempotent_calls (member_id, key, fingerprint) VALUES ($1, $2, $3)
     ON CONFLICT (member_id, key) DO UPDATE SET fingerprint = excluded.fingerprint, status = NULL, answer = NULL, created_at = now()
     WHERE idempotent_calls.created_at < now() - interval '24 hours'
       OR (idempotent_calls.status IS NULL AND idempotent_calls.fingerprint = excluded.fingerprint
           AND idempotent_calls.created_at < now() - make_interval(secs => ${TAKEN_OVER_AFTER_SECONDS}))`,
    [who.memberId, key, fingerprint],
  );
  if (rowCount === 0) return earlier(pool, who.memberId, key, fingerprint);
  try {
    const done = await run();
    await pool.query(
      'UPDATE idempotent_calls SET status = $3, answer = $4 WHERE member_id = $1 AND key = $2',
      [who.memberId, key, done.status, JSON.stringify(done.answer)],
    );
    return done;
  } catch (error) {
    await pool
      .query('DELETE FROM idempotent_calls WHERE member_id = $1 AND key = $2 AND status IS NULL', [
        who.memberId,
        key,
      ])
      .catch(() => undefined);
    throw error;
  }
}

async function earlier(pool: Pool, memberId: string, key: string, fingerprint: Buffer): Promise<Answered> {
  const { rows } = await pool.query<{ fingerprint: Buffer; status: number | null; answer: unknown }>(
    'SELECT fingerprint, status, answer FROM idempotent_calls WHERE member_id = $1 AND key = $2',
    [memberId, key],
  );
  const found = rows[0];
  // The first call has just failed: whoever asks again may begin anew.
  if (!found) throw new Problem('key_still_at_it');
  if (!found.fingerprint.equals(fingerprint)) throw new Problem('key_used_otherwise');
  if (found.status === null) throw new Problem('key_still_at_it');
  return { status: found.status, answer: found.answer };
}
