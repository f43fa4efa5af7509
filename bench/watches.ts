/**
 * How long a desk's thousand watches take when all are due at once: 20 shapes (what is watched × how many hours), 50 watches
 * of each, one question for a shape. Over the index of bench:numbers, which calls this; `--only=watches` measures only it.
 * What would make it lie: watches that wait instead of looking (each must have a run), and a shape asked more than once.
 */
import type { Pool } from 'pg';
import { watchInput, type NumbersAnswer, type NumbersAsked } from '@tracheon/core/contract';
import type { Models } from '../server/db/models.ts';
import { checkDueWatches } from '../server/watches/checkWatches.ts';
import { saveWatch } from '../server/watches/watchStore.ts';

const SUBJECTS = ['sub_site', 'sub_kw', 'sub_zone', 'campaign_id', 'source_id'];
const HOURS = [24, 72, 168, 720];
const OF_EACH = 50;

export interface WatchesMeasured {
  watches: number;
  shapes: number;
  questions: number;
  /** By the first look, which opens all of them. */
  found: number;
  /** The first look: most of it goes into writing what is found. */
  firstSeconds: number;
  /** The next look, at which everything is known: the looking itself. */
  seconds: number;
}

export async function measureWatches(given: {
  pool: Pool;
  models: Models;
  by: { deskId: string; memberId: string };
  ask: (deskId: string, asked: NumbersAsked) => Promise<NumbersAnswer>;
  nowMs: number;
}): Promise<WatchesMeasured> {
  const { pool, models, by, nowMs } = given;
  await pool.query('DELETE FROM watches WHERE desk_id = $1', [by.deskId]);
  for (const subject of SUBJECTS)
    for (const windowHours of HOURS)
      for (let n = 0; n < OF_EACH; n++)
        await saveWatch(
          pool,
          by,
          null,
          watchInput.parse({
            name: `${subject} ${windowHours} ${n}`,
            subject,
            conditions: [
              // Few are found, as on a desk that is looked after: what is measured is the looking.
              { figure: 'spentMicros', is: '>=', than: 4 + n / 10, unit: 'payouts' },
              { figure: 'conversions', is: '=', than: 0 },
              { figure: 'chance', is: '<', than: 0.01 },
            ],
            windowHours,
            isOn: true,
          }),
        );
  let questions = 0;
  const check = async (atMs: number): Promise<number> => {
    await pool.query('UPDATE watches SET next_at = $2 WHERE desk_id = $1', [by.deskId, new Date(atMs)]);
    questions = 0;
    const troubles: unknown[] = [];
    const began = performance.now();
    await checkDueWatches({
      pool,
      models,
      ask: (deskId, asked) => {
        questions += 1;
        return given.ask(deskId, asked);
      },
      now: () => atMs,
      waiting: () => Promise.resolve(0),
      tell: () => undefined,
      onTrouble: (_, error) => void troubles.push(error),
    });
    if (troubles.length > 0) throw new Error('a watch could not be checked', { cause: troubles[0] });
    return Math.round((performance.now() - began) / 100) / 10;
  };
  const firstSeconds = await check(nowMs);
  const seconds = await check(nowMs + 1);
  const { rows } = await pool.query<{ runs: number; found: number }>(
    `SELECT count(*)::int AS runs, coalesce(sum(r.found), 0)::int AS found FROM watch_runs r JOIN watches w ON w.id = r.watch_id WHERE w.desk_id = $1`,
    [by.deskId],
  );
  const watches = SUBJECTS.length * HOURS.length * OF_EACH;
  if (rows[0]!.runs !== 2 * watches) throw new Error(`${rows[0]!.runs} of ${2 * watches} looks were made`);
  return {
    watches,
    shapes: SUBJECTS.length * HOURS.length,
    questions,
    found: rows[0]!.found,
    firstSeconds,
    seconds,
  };
}
