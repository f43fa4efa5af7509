/** Watches tried on the past: the same findings as live, by what was booked by then; progress, a stop, and what it would have saved. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import type { Problem as ProblemDocument, WatchDryRun, WatchInput } from '@tracheon/core/contract';
import { DryRun, meets, seenOf } from '@tracheon/core/watches';
import { checkDueWatches } from '../../server/watches/checkWatches.ts';
import { look, lookFor } from '../../server/watches/askWatch.ts';
import type { OwnDesk } from './ownServer.ts';
import { until, type Chain } from './testDesk.ts';
import { HOUR_MS, WatchDesk } from './watchDesk.ts';

let w: WatchDesk;
let desk: OwnDesk;
beforeAll(async () => {
  w = await WatchDesk.open();
  desk = w.desk;
});
afterAll(() => w.close());

const settled = async (id: string): Promise<WatchDryRun> => {
  const read = async () => (await desk.owner.get<WatchDryRun>(`/watch-dry-runs/${id}`)).body;
  await until(async () => (await read()).state !== 'running', 'the dry run');
  return read();
};
const start = async (watch: WatchInput, days = 7): Promise<WatchDryRun> => {
  const { status, body } = await desk.owner.post<WatchDryRun>('/watch-dry-runs', { watch, days });
  expect([status, body]).toEqual([200, expect.anything()]);
  return body;
};

/** What happens between two checks. */
type Happening = 'visits' | 'conversion' | 'approval' | 'rejection' | 'nothing';
const happenings: Happening[] = ['visits', 'conversion', 'approval', 'rejection', 'nothing'];

describe('a dry run', () => {
  it('finds what the same watch found live, by what was booked at each check', async () => {
    let transaction = 0;
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.array(fc.tuple(fc.constantFrom(...happenings), fc.nat(2)), { maxLength: 3 }), {
          minLength: 4,
          maxLength: 7,
        }),
        async (steps) => {
          const of = await desk.chain({ offer: { currency: 'EUR' } });
          const watch = await w.add(
            w.watchOn(of, {
              act: 'notify',
              isGuarded: false,
              windowHours: 2,
              skipHours: 0,
              everyMinutes: 5,
              match: 'any',
              conditions: [
                { figure: 'conversions', is: '>=', than: 2, unit: 'own' },
                { figure: 'profitMicros', is: '<', than: -2, unit: 'own' },
                { figure: 'approved', is: '=', than: 1, unit: 'own' },
              ],
            }),
          );
          const sold: { id: string; transaction: string; site: string }[] = [];
          const clicks = new Map<string, string[]>();
          const moments: number[] = [];
          for (const step of steps) {
            for (const [what, n] of step)
              await happen(of, what, `site-${n}`, { clicks, sold, next: () => `d-${transaction++}` });
            await w.caughtUp();
            w.nowMs = Date.now();
            moments.push(w.nowMs);
            await w.makeDue(watch);
            await checkDueWatches(w.deps());
            // The next thing is booked after this check.
            await until(() => Promise.resolve(Date.now() > w.nowMs + 3), 'a later millisecond');
          }
          expect(w.troubles).toEqual([]);
          const dry = new DryRun(watch.body, w.zone);
          const { ask } = w.deps();
          for (const atMs of moments) {
            const looked = await lookFor((q) => look(ask, desk.deskId, q), watch.body, atMs, w.zone, true);
            const matched = looked.rows.filter((row) => meets(watch.body, row, looked.total));
            dry.check(
              atMs,
              matched.map((row) => ({
                value: row.value,
                name: row.name,
                seen: seenOf(watch.body, row),
                spentMicros: row.figures.spentMicros,
              })),
            );
          }
          const { findings } = await w.history(watch);
          const live = findings.map((f) => [
            f.value,
            Date.parse(f.foundAt),
            f.endedAt && Date.parse(f.endedAt),
          ]);
          expect(dry.firings.map((f) => [f.value, f.atMs, f.endedMs]).sort()).toEqual(live.sort());
          await w.off(watch);
        },
      ),
      { numRuns: 5, endOnFailure: true },
    );
  });

  it('says what it would have saved, judged by what came later', async () => {
    const of = await desk.chain({ offer: { payoutMicros: '10000000', currency: 'EUR' } });
    // An hour before a check, which comes every four: each check sees all visits of a call or none.
    await w.visits(of, 50, 500_000, { site: 'fern', hoursAgo: 121 });
    await w.visits(of, 30, 500_000, { site: 'fern', hoursAgo: 49 });
    await w.visits(of, 10, 500_000, { site: 'fern', hoursAgo: 5 });
    await w.visits(of, 10, 500_000, { site: 'moss', hoursAgo: 49 });
    await w.caughtUp();
    const watch = w.watchOn(of, { windowHours: 72, skipHours: 0, everyMinutes: 240, isGuarded: false });
    const done = await settled((await start(watch)).id);
    expect(done).toMatchObject({ state: 'done', done: 43, of: 43, count: 2, approximateUntil: null });
    // Cut when the first 25.00 were spent: the 15.00 and 5.00 after that are saved.
    expect(done.savedMicros).toBe('20000000');
    expect(done.firings.map((f) => [f.name, f.step, f.laterProfitMicros])).toEqual([
      ['fern', 'act', '-20000000'],
      // Once it has rested.
      ['fern', 'act', expect.any(String)],
    ]);
    expect(done.byDay.reduce((sum, d) => sum + d.firings, 0)).toBe(2);
    expect(await w.listed(of)).toEqual([]);
  });

  it('can be stopped, is nobody else’s, and says from when on it is exact', async () => {
    const of = await desk.chain();
    await desk.pool.query(`UPDATE history_since SET at = now() - interval '3 days'`);
    const body = w.watchOn(of, { everyMinutes: 30, windowHours: 48 });
    const run = await start(body, 28);
    expect(run.of).toBe(400);
    const stranger = await desk.member('viewer');
    expect((await stranger.get(`/watch-dry-runs/${run.id}`)).status).toBe(200);
    expect((await desk.owner.get('/watch-dry-runs/01J0000000000000000000000X')).status).toBe(404);
    expect((await desk.owner.remove(`/watch-dry-runs/${run.id}`)).status).toBe(200);
    const stopped = await settled(run.id);
    expect(stopped.state).toBe('stopped');
    expect(stopped.done).toBeLessThan(stopped.of);
    const again = await start(body, 7);
    await until(
      async () => (await desk.owner.get<WatchDryRun>(`/watch-dry-runs/${again.id}`)).body.done > 0,
      'its first check',
    );
    const { approximateUntil } = (await desk.owner.get<WatchDryRun>(`/watch-dry-runs/${again.id}`)).body;
    expect(Math.abs(Date.parse(approximateUntil!) - (Date.now() - 72 * HOUR_MS))).toBeLessThan(HOUR_MS);
    await desk.owner.remove(`/watch-dry-runs/${again.id}`);
    const refused = await desk.owner.post<ProblemDocument>('/watch-dry-runs', { watch: body, days: 3 });
    expect(refused.status).toBe(422);
  });
});

interface Happened {
  clicks: Map<string, string[]>;
  sold: { id: string; transaction: string; site: string }[];
  next: () => string;
}
async function happen(
  of: Chain,
  what: Happening,
  site: string,
  { clicks, sold, next }: Happened,
): Promise<void> {
  if (what === 'visits') {
    const ids = await w.visits(of, 3, 500_000, { site, more: { atMs: Date.now() - 1 } });
    clicks.set(site, [...(clicks.get(site) ?? []), ...ids]);
  }
  if (what === 'conversion') {
    const id = clicks.get(site)?.shift();
    if (id === undefined) return;
    const transaction = next();
    sold.push({ id, transaction, site });
    await desk.say(
      of.network.key,
      `click_id=${id}&payout=2&currency=EUR&transaction=${transaction}&status=wait`,
    );
  }
  const last = sold.findLast((s) => s.site === site);
  if (last && (what === 'approval' || what === 'rejection'))
    await desk.say(
      of.network.key,
      `click_id=${last.id}&payout=2&currency=EUR&transaction=${last.transaction}&status=${what === 'approval' ? 'ok' : 'no'}`,
    );
}
