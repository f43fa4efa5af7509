/**
 * Sources that want an image in the visitor's browser: our iframe on the thank-you page carries theirs. Each is placed once.
 * A conversion that came in another way has no page; after GIVE_UP_MS its image is given up.
 */
import type { Pool } from 'pg';
import type { RepeatedJob } from '../jobs/job.ts';
import { GIVE_UP_MS } from './retries.ts';

const LOOK_EVERY_MS = 60_000;

/** Addresses of the images that wait for a page of these conversions; they count as delivered from now on. */
export async function takePagePixels(
  pool: Pool,
  deskId: string,
  conversionIds: readonly string[],
): Promise<string[]> {
  if (conversionIds.length === 0) return [];
  const { rows } = await pool.query<{ url: string }>(
    `WITH taken AS (
       UPDATE outbox SET state = 'delivered', delivered_at = now(), tries = tries + 1
       WHERE desk_id = $1 AND conversion_id = ANY ($2) AND state = 'on_page' AND next_try_at <= now() RETURNING id, url, seq),
     logged AS (
       INSERT INTO attempts (outbox_id, at, result, took_ms) SELECT id, now(), 'delivered', 0 FROM taken)
     SELECT url FROM taken ORDER BY seq`,
    [deskId, conversionIds],
  );
  return rows.map((r) => r.url);
}

export const pagePixelJob = (pool: Pool, now: () => number): RepeatedJob => ({
  everyMs: LOOK_EVERY_MS,
  trouble: 'pixels of sources wait',
  run: async () => {
    await pool.query(
      `WITH old AS (
         UPDATE outbox SET state = 'gave_up' WHERE state = 'on_page' AND trying_since < $1 RETURNING id)
       INSERT INTO attempts (outbox_id, at, result, took_ms)
       SELECT id, now(), 'not placed: no thank-you page with your iframe pixel was opened', 0 FROM old`,
      [new Date(now() - GIVE_UP_MS)],
    );
  },
});
