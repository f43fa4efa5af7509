/** Looks at every watch that is due. Those of the same shape share one question; one that fails doesn't keep the others. */
import type { Pool } from 'pg';
import { meets, type OwnFormulas } from '@tracheon/core/watches';
import type { Models } from '../db/models.ts';
import { Problem } from '../problems/problem.ts';
import { look, lookFor, type AsksNumbers, type Looked, type LooksOnce } from './askWatch.ts';
import { bookFindings } from './bookFindings.ts';
import { behindWords, doubtWords } from './doubts.ts';
import { ownFormulas } from './ownFormulas.ts';
import { silentOffers, type SilentOffers } from './silentOffers.ts';
import { dueWatches, type WatchRow } from './watchStore.ts';

export interface WatchDeps {
  pool: Pool;
  models: Models;
  ask: AsksNumbers;
  now: () => number;
  /** Rows that wait on disk for the database. */
  waiting: () => Promise<number>;
  tell: (deskId: string) => void;
  onTrouble: (watchId: string, error: unknown) => void;
}
interface DeskGround {
  zone: string;
  currency: string;
  doubt: string;
  own: OwnFormulas;
  silence: SilentOffers;
  nameOf: (id: string) => string;
}

export async function checkDueWatches(deps: WatchDeps): Promise<void> {
  const nowMs = deps.now();
  const due = await dueWatches(deps.pool, nowMs);
  const desks = new Map<string, Promise<DeskGround>>();
  const looks = new Map<string, Promise<Looked>>();
  const looksOnce =
    (deskId: string): LooksOnce =>
    (question) => {
      const shape = `${deskId} ${JSON.stringify(question)}`;
      const looked = looks.get(shape) ?? look(deps.ask, deskId, question);
      looks.set(shape, looked);
      return looked;
    };
  for (const watch of due) {
    try {
      const asked = desks.get(watch.desk_id) ?? groundOf(deps.pool, watch.desk_id, nowMs);
      desks.set(watch.desk_id, asked);
      const ground = await asked;
      const looked = await lookFor(looksOnce(watch.desk_id), watch.body, nowMs, ground.zone);
      await check(deps, watch, looked, ground, nowMs);
    } catch (error) {
      if (error instanceof Problem) await noteWait(deps, watch, error.message);
      else {
        deps.onTrouble(watch.id, error);
        await noteWait(deps, watch, 'The last check failed. Tracheon tries again.').catch(() => undefined);
      }
    }
  }
}

async function check(
  deps: WatchDeps,
  watch: WatchRow,
  looked: Looked,
  ground: DeskGround,
  nowMs: number,
): Promise<void> {
  const waiting = await deps.waiting();
  const behind = await behindWords(deps.pool, watch.desk_id, { ...looked, waiting });
  if (behind !== '') return noteWait(deps, watch, behind);
  const matched = looked.rows.filter((row) => meets(watch.body, row, looked.total, ground.own));
  const booked = await bookFindings(deps.models, { watch, looked, matched, nowMs, ...ground });
  if (booked) deps.tell(watch.desk_id);
}

/** It is due as before, and looked at again with the next turn. */
async function noteWait({ pool, tell }: WatchDeps, watch: WatchRow, why: string): Promise<void> {
  const { rowCount } = await pool.query('UPDATE watches SET waits = $2 WHERE id = $1 AND waits <> $2', [
    watch.id,
    why,
  ]);
  if (rowCount) tell(watch.desk_id);
}

async function groundOf(pool: Pool, deskId: string, nowMs: number): Promise<DeskGround> {
  const [desk, parts, own, silence, doubt] = await Promise.all([
    pool.query<{ zone: string; currency: string }>('SELECT zone, currency FROM desks WHERE id = $1', [
      deskId,
    ]),
    pool.query<{ id: string; name: string }>(
      `SELECT id, name FROM parts WHERE desk_id = $1 AND kind IN ('source', 'campaign', 'event-type')
       UNION ALL SELECT id, name FROM own_figures WHERE desk_id = $1`,
      [deskId],
    ),
    ownFormulas(pool, deskId),
    silentOffers(pool, deskId),
    doubtWords(pool, deskId, nowMs),
  ]);
  const names = new Map(parts.rows.map((p) => [p.id, p.name]));
  return { ...desk.rows[0]!, own, silence, doubt, nameOf: (id) => names.get(id) ?? '' };
}
