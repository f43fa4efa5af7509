/** The demo desk: real rows through the real writers and the real judge, and things in it to be found. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import type { CampaignsReport, CallInRow } from '@tracheon/core/contract';
import { loadDemoDesk } from '@tracheon/demo/loadDemoDesk.ts';
import { openTestDesk, type TestDesk } from './testDesk.ts';

let desk: TestDesk;
let loaded: { visits: number; calls: number };
beforeAll(async () => {
  desk = await openTestDesk();
  // The demo desk is made before a server runs; the one of this test must not send its calls meanwhile.
  await desk.pool.query(`ALTER TABLE outbox ALTER next_try_at SET DEFAULT now() + interval '1 day'`);
  const practice = { adNetwork: 'http://127.0.0.3:7402', affiliate: 'http://127.0.0.4:7403' };
  loaded = await loadDemoDesk(
    desk.running.models,
    desk.database.directUrl,
    desk.deskId,
    practice,
    Date.now(),
  );
}, 120_000);
afterAll(() => desk.close());

it('has about 20 000 visits and 500 conversions over 30 days up to now', async () => {
  expect(loaded.visits).toBeGreaterThan(17_000);
  expect(loaded.visits).toBeLessThan(25_000);
  const { rows } = await desk.pool.query(
    `SELECT count(*)::int AS n, min(visit_at) > now() - interval '32 days' AS recent, max(converted_at) <= now() AS past FROM conversions`,
  );
  expect(rows[0].n).toBeGreaterThan(420);
  expect(rows[0].n).toBeLessThan(700);
  expect([rows[0].recent, rows[0].past]).toEqual([true, true]);
});

it('has campaigns that win and campaigns that lose, and statuses in motion', async () => {
  const { body } = await desk.owner.get<CampaignsReport>('/reports/campaigns?period=30d');
  const profits = body.rows.map((r) => Number(r.figures.profitMicros));
  expect(profits.some((p) => p > 0) && profits.some((p) => p < 0)).toBe(true);
  expect(BigInt(body.total.onHoldMicros)).toBeGreaterThan(0n);
  const { rows } = await desk.pool.query('SELECT DISTINCT status FROM conversions');
  expect(rows.length).toBe(4);
});

it('has broken hand-offs to find, each explained', async () => {
  const repair = await desk.list<CallInRow>('/calls-in?kind=repair&limit=200');
  expect(new Set(repair.map((r) => r.reason))).toEqual(
    new Set(['click_unsubstituted', 'no_click_id', 'unmapped_status', 'unreadable_payout', 'unknown_click']),
  );
  const { body } = await desk.owner.get<{ code: string }[]>('/attention');
  expect(body.map((a) => a.code)).toEqual(
    expect.arrayContaining(['calls_for_repair', 'parked_calls_out', 'visits_no_conversion']),
  );
});

it('adds up: every conversion stands in the ledger as it stands in the list, to the micro', async () => {
  const { rows } = await desk.pool.query(
    `SELECT count(*)::int AS wrong FROM conversions c
     LEFT JOIN (SELECT conversion_id, sum(delta_micros) AS delta, sum(base_delta_micros) AS base FROM ledger GROUP BY 1) l ON l.conversion_id = c.id
     WHERE coalesce(l.delta, 0) <> CASE WHEN status IN ('pending', 'approved') THEN payout_micros ELSE 0 END
        OR coalesce(l.base, 0) <> coalesce(c.base_micros, 0)`,
  );
  expect(rows).toEqual([{ wrong: 0 }]);
  const report = (await desk.owner.get<CampaignsReport>('/reports/campaigns?period=30d')).body;
  const sum = report.rows.reduce((n, r) => n + BigInt(r.figures.spentMicros), 0n);
  expect(sum.toString()).toBe(report.total.spentMicros);
});
