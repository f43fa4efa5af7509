/** Looks at every watch that is due. Those of the same shape share one question; one that fails doesn't keep the others. */
import type { Pool } from 'pg';
import type { OwnFormulas } from '@tracheon/core/metrics';
import { figuresOfRule, meets } from '@tracheon/core/watches';
import type { Models } from '../db/models.ts';
import { Problem } from '../problems/problem.ts';
import { look, lookFor, questionOf, type AsksNumbers, type Looked, type LooksOnce } from './askWatch.ts';
import { bookFindings, type Booking } from './bookFindings.ts';
import { behindWords, doubtWords } from './doubts.ts';
import { ownFormulas } from './ownFormulas.ts';
import { bookQuietRuns, isQuietRun, openFindings, type OpenFinding } from './quietRuns.ts';
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
  const looksOf = (watches: readonly WatchRow[] | undefined): Promise<LooksOnce> | null => {
    if (!watches) return null;
    const looks = groundFor(watches[0]!.desk_id).then(({ own }) => looksFor(deps, watches, own, nowMs));
    // Whether it fails is seen by each watch that needs it; until then it must not count as nobody's.
    looks.catch(() => undefined);
    return looks;
  };
  let next = looksOf(shapes[0]);
  for (const [i, watches] of shapes.entries()) {
    const looking = next!;
    // The index answers the next question while these findings are written.
    next = looksOf(shapes[i + 1]);
    await new Shape(deps, watches, nowMs).check(looking, groundFor);
  }
}

/** Watches that look at the same. */
class Shape {
  private behind: Promise<string> | null = null;
  private readonly quiet: Booking[] = [];

  constructor(
    private readonly deps: WatchDeps,
    private readonly watches: readonly WatchRow[],
    private readonly nowMs: number,
  ) {}

  async check(
    looking: Promise<LooksOnce>,
    groundFor: (deskId: string) => Promise<DeskGround>,
  ): Promise<void> {
    const { deps, watches, nowMs } = this;
    const open = openFindings(
      deps.pool,
      watches.map((w) => w.id),
    );
    open.catch(() => undefined);
    for (const watch of watches)
      await this.orNote([watch], async () => {
        const ground = await groundFor(watch.desk_id);
        const looked = await lookFor(await looking, watch.body, nowMs, ground.zone);
        await this.checkOne(watch, looked, ground, (await open).get(watch.id));
      });
    await this.orNote(
      this.quiet.map((b) => b.watch),
      async () => {
        const booked = new Set(this.quiet.length === 0 ? [] : await bookQuietRuns(deps.pool, this.quiet));
        const desks = this.quiet.filter((b) => booked.has(b.watch.id)).map((b) => b.watch.desk_id);
        for (const deskId of new Set(desks)) deps.tell(deskId);
      },
    );
  }

  /** One that fails doesn't keep the others. */
  private async orNote(watches: readonly WatchRow[], work: () => Promise<void>): Promise<void> {
    const { deps } = this;
    try {
      await work();
    } catch (error) {
      const why = error instanceof Problem ? error.message : 'The last check failed. Tracheon tries again.';
      for (const watch of watches) {
        if (!(error instanceof Problem)) deps.onTrouble(watch.id, error);
        await noteWait(deps, watch, why).catch((err: unknown) => deps.onTrouble(watch.id, err));
      }
    }
  }

  private async checkOne(
    watch: WatchRow,
    looked: Looked,
    ground: DeskGround,
    open: ReadonlyMap<string, OpenFinding> | undefined,
  ): Promise<void> {
    const { deps, nowMs } = this;
    this.behind ??= deps
      .waiting()
      .then((waiting) => behindWords(deps.pool, watch.desk_id, { ...looked, waiting }));
    const behind = await this.behind;
    if (behind !== '') return noteWait(deps, watch, behind);
    const matched = looked.rows.filter((row) => meets(watch.body, row, looked.total, ground.own));
    const booking: Booking = { watch, looked, matched, nowMs, ...ground };
    if (isQuietRun(booking, open)) return void this.quiet.push(booking);
    const booked = await bookFindings(deps.models, booking);
    if (booked) deps.tell(watch.desk_id);
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

/** Asks each question once for all watches of a shape, by the figures that they need; and the first one at once. */
function looksFor(deps: WatchDeps, watches: readonly WatchRow[], own: OwnFormulas, nowMs: number): LooksOnce {
  const looks = new Map<string, Promise<Looked>>();
  const figures = [...new Set(watches.flatMap((w) => [...figuresOfRule(w.body, own)]))];
  const first = watches[0]!;
  const looksOnce: LooksOnce = (question) => {
    const text = JSON.stringify(question);
    const looked = looks.get(text) ?? look(deps.ask, first.desk_id, { ...question, figures });
    looks.set(text, looked);
    return looked;
  };
  looksOnce(questionOf(first.body, nowMs)).catch(() => undefined);
  return looksOnce;
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
