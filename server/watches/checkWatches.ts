/** Looks at every watch that is due. Those of the same shape share one question; one that fails doesn't keep the others. */
import type { Pool } from 'pg';
import { meets } from '@tracheon/core/watches';
import type { Models } from '../db/models.ts';
import { Problem } from '../problems/problem.ts';
import { look, questionOf, type AsksNumbers, type Looked } from './askWatch.ts';
import { bookFindings } from './bookFindings.ts';
import { behindWords, doubtWords } from './doubts.ts';
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
  nameOf: (id: string) => string;
}

export async function checkDueWatches(deps: WatchDeps): Promise<void> {
  const nowMs = deps.now();
  const due = await dueWatches(deps.pool, nowMs);
  const desks = new Map<string, Promise<DeskGround>>();
  const looks = new Map<string, Promise<Looked>>();
  for (const watch of due) {
    try {
      const question = questionOf(watch.body, nowMs);
      const shape = `${watch.desk_id} ${JSON.stringify(question)}`;
      const looked = looks.get(shape) ?? look(deps.ask, watch.desk_id, question);
      looks.set(shape, looked);
      const ground = desks.get(watch.desk_id) ?? groundOf(deps.pool, watch.desk_id, nowMs);
      desks.set(watch.desk_id, ground);
      await check(deps, watch, await looked, await ground, nowMs);
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
  const matched = looked.rows.filter((row) => meets(watch.body, row, looked.total));
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
  const [desk, parts, doubt] = await Promise.all([
    pool.query<{ zone: string; currency: string }>('SELECT zone, currency FROM desks WHERE id = $1', [
      deskId,
    ]),
    pool.query<{ id: string; name: string }>(
      `SELECT id, name FROM parts WHERE desk_id = $1 AND kind IN ('source', 'campaign', 'event-type')`,
      [deskId],
    ),
    doubtWords(pool, deskId, nowMs),
  ]);
  const names = new Map(parts.rows.map((p) => [p.id, p.name]));
  return { ...desk.rows[0]!, doubt, nameOf: (id) => names.get(id) ?? '' };
}
