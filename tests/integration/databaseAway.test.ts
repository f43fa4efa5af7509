/** The database gone and back again, as the visitor, the network and the member live it. */
import { existsSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { ImportDraft, Problem } from '@tracheon/core/contract';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { until, type Chain } from './testDesk.ts';

const folder = mkdtempSync(join(tmpdir(), 'tracheon-away-'));
let desk: OwnDesk;
let chain: Chain;
let before: string;
afterAll(() => rmSync(folder, { recursive: true, force: true }));

describe('the database gone', () => {
  beforeAll(async () => {
    desk = await openOwnServer(
      { TRACHEON_DATA: join(folder, 'one'), TRACHEON_VISITOR_PATIENCE_MS: '' },
      { canBeCut: true },
    );
    chain = await desk.chain();
    before = await chain.send('clk=before');
    await desk.database.relay.cut();
  });
  afterAll(() => desk.close());
  let away: string;

  it('visitors go on to the offer with a click ID of theirs', async () => {
    away = await chain.send('clk=away&site=x%20y&bid=0.5', { 'X-Forwarded-For': '145.53.9.9' });
    for (let i = 0; i < 20; i++) await chain.send(`clk=away-${i}`);
  });

  it('postbacks in are kept, and answered as queued', async () => {
    expect(
      await desk
        .call(chain.network.key, `click_id=${before}&payout=3&transaction=Q1`)
        .then((a) => [a.status, a.json().outcome]),
    ).toEqual([200, 'queued']);
    expect(
      (await desk.call(chain.network.key, `click_id=${away}&payout=4&transaction=Q2`)).json().outcome,
    ).toBe('queued');
    expect(readdirSync(join(folder, 'one/spool')).length).toBeGreaterThan(0);
  });

  it('the desk says in words that the database does not answer', async () => {
    const res = await desk.owner.get<Problem>('/parts');
    expect([res.status, res.body.code, res.headers.get('retry-after')]).toEqual([503, 'database_away', '5']);
  });

  it('whoever watches sees it: alive, not ready, what waits is counted', async () => {
    const deskOrigin = `http://127.0.0.1:${desk.running.deskPort}`;
    await until(async () => (await fetch(`${deskOrigin}/readyz`)).status === 503, 'the health to know');
    expect(await (await fetch(`${deskOrigin}/readyz`)).json()).toEqual({
      ready: false,
      database: 'away',
      disk: 'up',
    });
    expect((await fetch(`${deskOrigin}/healthz`)).status).toBe(200);
    const metrics = await (await fetch(`${deskOrigin}/metrics`)).text();
    expect(metrics).toContain('tracheon_database_up 0');
    expect(metrics).toContain('tracheon_numbers_up 0');
    const visits = (fate: string): number =>
      Number(
        new RegExp(`tracheon_rows_total\\{kind="visit",fate="${fate}"\\} (\\d+)`).exec(metrics)?.[1] ?? 0,
      );
    // On a busy machine the one before the cut may have waited on disk as well.
    expect(visits('spooled')).toBeGreaterThanOrEqual(21);
    expect(visits('committed') + visits('spooled')).toBe(22);
    expect(metrics).toContain('tracheon_rows_total{kind="postback",fate="spooled"} 2');
    const answers = Number(/tracheon_answer_seconds_count\{kind="visit"\} (\d+)/.exec(metrics)?.[1]);
    expect(answers).toBeGreaterThanOrEqual(22);
    // One that was forwarded comes from elsewhere.
    const forwarded = await fetch(`${deskOrigin}/metrics`, { headers: { 'X-Forwarded-For': '192.0.2.1' } });
    expect(forwarded.status).toBe(401);
  });

  it('back again: every row is there once, as it was, and the calls are booked', async () => {
    await desk.database.relay.open();
    await until(async () => (await desk.owner.get('/parts')).status === 200, 'the desk');
    await until(
      async () => (await desk.visits()).filter((v) => v.sourceClickId.startsWith('away')).length === 21,
      'the visits',
      10_000,
    );
    const visit = (await desk.visits()).find((v) => v.id === away)!;
    expect(visit).toMatchObject({
      country: 'NL',
      sourceClickId: 'away',
      subs: { site: 'x y' },
      costMicros: '500000',
    });
    await until(async () => (await desk.booked()).length === 2, 'both conversions');
    expect((await desk.booked()).map((c) => [c.clickId, c.payoutMicros]).sort()).toEqual(
      [
        [before, '3000000'],
        [away, '4000000'],
      ].sort(),
    );
    await until(async () => readdirSync(join(folder, 'one/spool')).length === 0, 'the spool to be empty');
    const attention = await desk.owner.get<{ code: string }[]>('/attention');
    expect(attention.body.map((a) => a.code)).not.toContain('unrecorded_visits');
    // Changes are heard of again, too.
    await desk.owner.put(`/parts/campaign/${chain.campaign.id}/state`, { state: 'paused' });
    await until(
      async () => (await desk.visit(`/v/${chain.campaign.key}`)).status === 404,
      'the stop to be live',
    );
  });
});

describe('the database gone and no disk either', () => {
  beforeAll(async () => {
    // A file stands where the spool's folder belongs.
    writeFileSync(join(folder, 'full'), '');
    desk = await openOwnServer(
      { TRACHEON_DATA: join(folder, 'full'), TRACHEON_VISITOR_PATIENCE_MS: '' },
      { canBeCut: true },
    );
    chain = await desk.chain();
    await desk.database.relay.cut();
  });
  afterAll(() => desk.close());

  it('visitors go on all the same, counted loudly; a postback is refused: nothing that was not kept is answered 200', async () => {
    const res = await desk.visit(`/v/${chain.campaign.key}?clk=lost`);
    expect([res.status, res.headers.get('location')?.startsWith('https://go.larkspur.example/')]).toEqual([
      302,
      true,
    ]);
    const call = await fetch(`${desk.tracking}/in/${chain.network.key}?payout=5`);
    expect([call.status, call.headers.get('retry-after'), call.headers.get('tracheon-error')]).toEqual([
      503,
      '30',
      'not_kept',
    ]);
    await desk.database.relay.open();
    await until(async () => (await desk.owner.get('/parts')).status === 200, 'the desk');
    // Kept beyond this process, too: Today reads it from the database.
    const said = async (code: string): Promise<boolean> =>
      (await desk.owner.get<{ code: string; count: number }[]>('/attention')).body.some(
        (a) => a.code === code && a.count === 1,
      );
    await until(() => said('unrecorded_visits'), 'the lost visit under Today');
    expect(await said('refused_postbacks')).toBe(true);
  });
});

describe('the database fallen silent', () => {
  beforeAll(async () => {
    desk = await openOwnServer(
      { TRACHEON_DATA: join(folder, 'silent'), TRACHEON_VISITOR_PATIENCE_MS: '' },
      { canBeCut: true },
    );
    chain = await desk.chain();
    await chain.send('clk=before');
  });
  afterAll(() => desk.close());

  it('visitors do not wait for it; what waited is there once when it is back', async () => {
    desk.database.relay.freeze();
    await Promise.all(Array.from({ length: 20 }, (_, n) => chain.send(`clk=mute-${n}`)));
    const readyz = `http://127.0.0.1:${desk.running.deskPort}/readyz`;
    await until(async () => (await fetch(readyz)).status === 503, 'the silence to be noticed');
    await desk.database.relay.cut();
    await desk.database.relay.open();
    await until(async () => (await fetch(readyz)).status === 200, 'the database');
    await until(
      async () => (await desk.visits()).filter((v) => v.sourceClickId.startsWith('mute')).length === 20,
      'the visits',
    );
  });
});

describe('a call that comes before its visit is in the database', () => {
  beforeAll(async () => {
    desk = await openOwnServer(
      { TRACHEON_DATA: join(folder, 'three'), TRACHEON_VISITOR_PATIENCE_MS: '' },
      { canBeCut: true },
    );
    chain = await desk.chain();
  });
  afterAll(() => desk.close());

  it('is judged again on schedule, and booked once the visit is known', async () => {
    const id = await chain.send();
    // The visit as another process would still have it in its spool.
    await desk.pool.query('CREATE TABLE elsewhere AS SELECT * FROM visits WHERE false');
    await until(async () => {
      const moved = await desk.pool.query('INSERT INTO elsewhere SELECT * FROM visits WHERE id = $1', [id]);
      return moved.rowCount === 1;
    }, 'the visit');
    // On a busy machine it may wait on disk as well, from where it would come back.
    const spool = join(folder, 'three/spool');
    await until(async () => !existsSync(spool) || readdirSync(spool).length === 0, 'the spool to be empty');
    await desk.pool.query('DELETE FROM visits WHERE id = $1', [id]);
    expect(await desk.say(chain.network.key, `click_id=${id}&payout=5`)).toMatchObject({
      outcome: 'repair',
      reason: expect.stringContaining('No visit has the click ID'),
    });
    await desk.pool.query('INSERT INTO visits SELECT * FROM elsewhere');
    // A minute goes by.
    await desk.pool.query(
      `UPDATE outcomes SET received_at = received_at - interval '61 seconds', judged_at = judged_at - interval '61 seconds'`,
    );
    await until(async () => (await desk.booked()).some((c) => c.clickId === id), 'the conversion');
  });
});

/** So many that the cable is pulled long before the last one, also by a test that is slow to pull it. */
const ROWS = 1200;

describe('the database gone while a file is imported', () => {
  beforeAll(async () => {
    desk = await openOwnServer(
      { TRACHEON_DATA: join(folder, 'import'), TRACHEON_VISITOR_PATIENCE_MS: '' },
      { canBeCut: true },
    );
    chain = await desk.chain();
  });
  afterAll(() => desk.close());

  it('holds the import up; once it is back, every row is one receipt, booked once', async () => {
    const ids = await Promise.all(Array.from({ length: 20 }, () => chain.send()));
    const rows = Array.from({ length: ROWS }, (_, n) => `${ids[n % 20]},2.00,EUR,cut-${n}`);
    const file = Buffer.from(['click_id,payout,currency,transaction', ...rows].join('\n'));
    const draft = (await desk.owner.upload<ImportDraft>(`/imports?network=${chain.network.id}`, file)).body;
    const { pool, deskId } = desk;
    const count = async (sql: string): Promise<number> =>
      Number((await pool.query<{ n: string }>(`SELECT count(*) AS n FROM ${sql}`, [deskId])).rows[0]!.n);
    await desk.owner.post(`/imports/${draft.id}/run`, draft.settings);
    await until(async () => (await count('conversions WHERE desk_id = $1')) > 0, 'the first conversions');
    await desk.database.relay.cut();
    expect(await count('conversions WHERE desk_id = $1')).toBeLessThan(ROWS);
    await desk.database.relay.open();
    await until(
      async () => {
        const { rows: found } = await pool.query('SELECT state FROM receipt_batches WHERE id = $1', [
          draft.id,
        ]);
        return found[0].state === 'done';
      },
      'the end of the import',
      60_000,
    );
    expect(await count(`receipts WHERE desk_id = $1 AND channel = 'file'`)).toBe(ROWS);
    expect(await count('conversions WHERE desk_id = $1')).toBe(ROWS);
    expect(await count(`outcomes WHERE desk_id = $1 AND outcome = 'accepted'`)).toBe(ROWS);
    const { rows: sums } = await pool.query(
      `SELECT sum(delta_micros)::text AS sum FROM ledger WHERE desk_id = $1`,
      [deskId],
    );
    expect(sums[0]).toEqual({ sum: String(ROWS * 2_000_000) });
  });
});
