/** Looks at every watch that is due. Those of the same shape share one question; one that fails doesn't keep the others. */
import type { Pool } from 'pg';
import { meets, type OwnFormulas } from '@tracheon/core/watches';
import type { Models } from '../db/models.ts';
import { Problem } from '../problems/problem.ts';
import { look, lookFor, questionOf, type AsksNumbers, type Looked, type LooksOnce } from './askWatch.ts';
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
  const grounds = new Map<string, Promise<DeskGround>>();
  const groundFor = (deskId: string): Promise<DeskGround> => {
    const ground = grounds.get(deskId) ?? groundOf(deps.pool, deskId, nowMs);
    grounds.set(deskId, ground);
    return ground;
  };
  const shapes = shapesOf(await dueWatches(deps.pool, nowMs), nowMs);
  let next = looksFor(deps, shapes[0], nowMs);
  for (const [i, watches] of shapes.entries()) {
    const looksOnce = next;
    // The index answers the next question while these findings are written.
    next = looksFor(deps, shapes[i + 1], nowMs);
    for (const watch of watches) {
      try {
        const ground = await groundFor(watch.desk_id);
        await check(deps, watch, await lookFor(looksOnce, watch.body, nowMs, ground.zone), ground, nowMs);
      } catch (error) {
        if (!(error instanceof Problem)) deps.onTrouble(watch.id, error);
        const why = error instanceof Problem ? error.message : 'The last check failed. Tracheon tries again.';
        await noteWait(deps, watch, why).catch((err: unknown) => deps.onTrouble(watch.id, err));
      }
    }
  }
}

/** Watches that look at the same, together. */
function shapesOf(due: readonly WatchRow[], nowMs: number): WatchRow[][] {
  const shapes = new Map<string, WatchRow[]>();
  for (const watch of due) {
    const shape = `${watch.desk_id} ${JSON.stringify(questionOf(watch.body, nowMs))}`;
    const watches = shapes.get(shape);
    if (watches) watches.push(watch);
    else shapes.set(shape, [watch]);
  }
  return [...shapes.values()];
}

/** Asks each question once for all watches of a shape, and the first one at once. */
function looksFor(deps: WatchDeps, watches: readonly WatchRow[] | undefined, nowMs: number): LooksOnce {
  const looks = new Map<string, Promise<Looked>>();
  const [first] = watches ?? [];
  const looksOnce: LooksOnce = (question) => {
    const text = JSON.stringify(question);
    const looked = looks.get(text) ?? look(deps.ask, first!.desk_id, question);
    looks.set(text, looked);
    return looked;
  };
  // Whether it fails is seen by each watch that needs it.
  if (first) looksOnce(questionOf(first.body, nowMs)).catch(() => undefined);
  return looksOnce;
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
