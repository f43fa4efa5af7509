/** Offers whose partner still has to put its page up: looked at every few minutes until it says what is expected. */
import type { Pool } from 'pg';
import type { OfferWait } from '@tracheon/core/contract';
import { pageSays } from '@tracheon/core/links';
import type { ScheduledJob } from '../jobs/job.ts';
import { loadLooked, lookAtOffer, type Looking } from './lookAtOffer.ts';

/** Of one look at all of them. */
const AT_MOST = 200;

export interface WaitDeps {
  pool: Pool;
  look: Omit<Looking, 'nowMs'>;
  now: () => number;
  tell: (deskId: string) => void;
}

export async function waitOf(pool: Pool, offerId: string): Promise<OfferWait> {
  const { rows } = await pool.query<{ looked_at: Date; ready_at: Date | null; sentence: string }>(
    'SELECT looked_at, ready_at, sentence FROM offer_waits WHERE part_id = $1',
    [offerId],
  );
  const row = rows[0];
  return {
    lookedAt: row?.looked_at.toISOString() ?? null,
    readyAt: row?.ready_at?.toISOString() ?? null,
    sentence: row?.sentence ?? '',
  };
}

/** Looks once, and remembers what it found. */
export async function lookForPage(deps: WaitDeps, deskId: string, offerId: string): Promise<OfferWait> {
  const { pool, now } = deps;
  const looked = await loadLooked(pool, deskId, offerId);
  const { offer } = looked;
  const as = { country: offer.body.countries[0] ?? '', device: 'phone' as const };
  const seen = await lookAtOffer({ ...deps.look, nowMs: now() }, looked, as);
  const { expectedWords } = offer.body;
  const says = expectedWords === '' || pageSays(seen, expectedWords);
  const isReady = seen.isFound && says;
  const sentence =
    seen.isFound && !says ? `The page is there, but does not say “${expectedWords}” yet.` : seen.sentence;
  await pool.query(
    `INSERT INTO offer_waits (part_id, desk_id, looked_at, ready_at, sentence) VALUES ($1, $2, $3, $4, $5)
     ON CONFLICT (part_id) DO UPDATE SET looked_at = excluded.looked_at, sentence = excluded.sentence,
       ready_at = CASE WHEN excluded.ready_at IS NULL THEN NULL ELSE coalesce(offer_waits.ready_at, excluded.ready_at) END`,
    [offerId, deskId, new Date(now()), isReady ? new Date(now()) : null, sentence],
  );
  return waitOf(pool, offerId);
}

export const lookAtWaitingOffers = (deps: WaitDeps): ScheduledJob => ({
  name: 'look-at-waiting-offers',
  cron: '*/5 * * * *',
  run: async () => {
    const { rows } = await deps.pool.query<{ id: string; desk_id: string }>(
      `SELECT p.id, p.desk_id FROM parts p LEFT JOIN offer_waits w ON w.part_id = p.id
       WHERE p.kind = 'offer' AND p.state = 'live' AND p.body->>'sending' = 'waiting' ORDER BY w.looked_at NULLS FIRST LIMIT ${AT_MOST}`,
    );
    for (const { id, desk_id: deskId } of rows) {
      await lookForPage(deps, deskId, id);
      deps.tell(deskId);
    }
  },
});
