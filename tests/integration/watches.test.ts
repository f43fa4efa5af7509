/** Watches: what they find in real figures, what they do about it, once, and what members decide. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type {
  Notice,
  PartRecord,
  Problem as ProblemDocument,
  WatchFinding,
  WatchRecord,
  WatchTrial,
} from '@tracheon/core/contract';
import { Problem } from '../../server/problems/problem.ts';
import { checkDueWatches } from '../../server/watches/checkWatches.ts';
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

describe('a watch over sites', () => {
  let of: Chain;
  beforeAll(async () => {
    of = await desk.chain({ offer: { payoutMicros: '10000000', currency: 'EUR' } });
    // Two payouts are 20.00.
    await w.visits(of, 50, 500_000, { site: 'moss' });
    await w.visits(of, 60, 500_000, { site: 'fern' });
    await w.visits(of, 39, 500_000, { site: 'pebble' });
    const [sold] = await w.visits(of, 80, 500_000, { site: 'heron' });
    await desk.say(of.network.key, `click_id=${sold}&payout=10&currency=EUR&transaction=w-1&status=ok`);
    await w.visits(of, 100, 500_000, { site: 'young', hoursAgo: 3 });
  });

  it('shows what it would find, and does nothing', async () => {
    await w.caughtUp();
    const trial = await desk.owner.post<WatchTrial>('/watches/try', w.watchOn(of));
    expect(trial.status).toBe(200);
    expect(trial.body).toMatchObject({ rows: 5, matched: 2 });
    expect(trial.body.found.map((f) => [f.name, f.spentMicros])).toEqual([
      ['fern', '30000000'],
      ['moss', '25000000'],
    ]);
    expect(trial.body.found[0]!.seen).toEqual([
      { figure: 'spentMicros', value: 30 },
      { figure: 'conversions', value: 0 },
    ]);
    expect(await w.listed(of)).toEqual([]);
  });

  it('acts once on each, the costliest first, as often as a day allows; and the rest on the next day', async () => {
    const watch = await w.add(w.watchOn(of, { actsPerDay: 1 }));
    await w.check();
    expect(await w.found(watch)).toEqual(['fern done', 'moss put_off']);
    expect(await w.listed(of)).toEqual(['fern block']);
    const [run] = (await w.history(watch)).runs;
    expect(run).toMatchObject({ rows: 5, matched: 2, found: 2, acted: 1, note: '' });
    const { notices } = (await desk.owner.get<{ notices: Notice[] }>('/notices')).body;
    expect(notices[0]).toMatchObject({ watchId: watch.id, isRead: false });
    expect(notices[0]!.title).toContain('2 found, 1 blocked');
    expect(notices[0]!.text).toContain('fern: spent 30.00 EUR, conversions 0.');
    // It is not due again before its time, and then finds nothing new.
    await w.check();
    expect((await w.history(watch)).runs).toHaveLength(1);
    w.nowMs += HOUR_MS;
    await w.check();
    expect((await w.history(watch)).runs[0]).toMatchObject({ found: 0, acted: 0 });
    w.nowMs += 24 * HOUR_MS;
    await w.check();
    // By then the young visits are old enough as well, and cost the most.
    expect(await w.found(watch)).toEqual(['fern done', 'moss put_off', 'young done']);
    // What was missed meanwhile was made up for by one check.
    expect((await w.history(watch)).runs).toHaveLength(3);
    w.nowMs += 24 * HOUR_MS;
    await w.check();
    expect(await w.found(watch)).toEqual(['fern done', 'moss done', 'young done']);
    expect(await w.listed(of)).toEqual(['fern block', 'moss block', 'young block']);
    await w.off(watch);
  });

  it('ends a finding when its conditions hold no more, and rests before it acts again', async () => {
    const watch = await w.add(
      w.watchOn(of, {
        subject: 'campaign_id',
        sourceId: of.source.id,
        act: 'pause',
        restHours: 24,
        windowHours: 200,
        conditions: [{ figure: 'profitMicros', is: '<', than: 0, unit: 'own' }],
      }),
    );
    await w.check();
    const campaign = async () => (await desk.owner.get<PartRecord>(`/parts/campaign/${of.campaign.id}`)).body;
    expect((await campaign()).state).toBe('paused');
    const [finding] = (await w.history(watch)).findings;
    expect(finding).toMatchObject({ state: 'done', value: of.campaign.id });
    expect((await w.decide(finding!, 'undo')).body).toMatchObject({ state: 'undone' });
    expect((await campaign()).state).toBe('live');
    // Undone is not done again by the same finding.
    w.nowMs += HOUR_MS;
    await w.check();
    expect((await campaign()).state).toBe('live');
    expect((await w.decide(finding!, 'act')).body).toMatchObject({ state: 'done' });
    const now = await campaign();
    await desk.owner.put(`/parts/campaign/${now.id}/state`, { state: 'live' });
    expect((await w.decide(finding!, 'undo')).status).toBe(409);
    await w.off(watch);
  });

  it('puts thousands of findings into one notice, and acts on no more than a day allows', async () => {
    const own = await desk.chain({ offer: { payoutMicros: '10000000', currency: 'EUR' } });
    const many = 3000;
    await w.visits(own, many, 25_000_000, { site: (i) => `site “${i}” 'x'; :at $1 ?` });
    const watch = await w.add(w.watchOn(own, { actsPerDay: 100 }));
    await w.check();
    const [run] = (await w.history(watch)).runs;
    expect(run).toMatchObject({ rows: many, matched: many, found: many, acted: 100 });
    const { notices } = (await desk.owner.get<{ notices: Notice[] }>('/notices')).body;
    const ours = notices.filter((notice) => notice.watchId === watch.id);
    expect(ours).toHaveLength(1);
    expect(ours[0]!.title).toBe(`${watch.body.name}: ${many} found, 100 blocked`);
    expect(ours[0]!.text).toContain(`And ${many - 20} more.`);
    expect(await w.listed(own)).toHaveLength(100);
    expect((await desk.owner.post('/notices/read', { ids: [ours[0]!.id] })).status).toBe(200);
    const now = (await desk.owner.get<{ notices: Notice[] }>('/notices')).body.notices;
    expect(now.find((notice) => notice.id === ours[0]!.id)!.isRead).toBe(true);
    await w.off(watch);
  });

  it('asks when it is told to, and while postbacks need repair', async () => {
    const own = await desk.chain({ offer: { payoutMicros: '10000000', currency: 'EUR' } });
    await w.visits(own, 50, 500_000, { site: 'asked' });
    const asking = await w.add(w.watchOn(own, { asks: true }));
    await w.check();
    const { asked } = (await desk.owner.get<{ asked: WatchFinding[] }>('/notices')).body;
    expect(asked).toEqual([expect.objectContaining({ name: 'asked', state: 'asked', watchId: asking.id })]);
    const answers = await Promise.all([w.decide(asked[0]!, 'act'), w.decide(asked[0]!, 'act')]);
    expect(answers.map((a) => a.status).sort()).toEqual([200, 409]);
    expect((await w.history(asking)).findings[0]).toMatchObject({ state: 'done', by: 'Owner' });
    expect(await w.listed(own)).toEqual(['asked block']);
    await w.decide(asked[0]!, 'undo');
    expect(await w.listed(own)).toEqual([]);
    expect((await w.decide(asked[0]!, 'undo')).status).toBe(409);
    // Asked another question, it has nothing left to decide of the first one.
    await desk.owner.put(`/watches/${asking.id}`, {
      version: asking.version,
      body: { ...asking.body, subject: 'offer_id', act: 'notify' },
    });
    expect((await w.decide(asked[0]!, 'act')).status).toBe(409);
    await w.off(asking);
    w.nowMs = Date.now() + HOUR_MS / 2;
    for (let i = 0; i < 6; i++) await desk.say(own.network.key, `click_id=nothing-${i}&payout=1`);
    await w.visits(own, 50, 500_000, { site: 'doubtful' });
    const acting = await w.add(w.watchOn(own));
    await w.check();
    const { runs, findings } = await w.history(acting);
    expect(findings.every((f) => f.state === 'asked' && f.why.includes('need repair'))).toBe(true);
    expect(runs[0]!.note).toContain('It asks instead of acting.');
    await w.off(acting);
  });

  it('is not saved over what another member has saved since: both are shown', async () => {
    const watch = await w.add(w.watchOn(of, { act: 'notify' }));
    const save = (version: number, windowHours: number) =>
      desk.owner.put<ProblemDocument & WatchRecord>(`/watches/${watch.id}`, {
        version,
        body: { ...watch.body, windowHours },
      });
    const both = await Promise.all([save(watch.version, 24), save(watch.version, 36)]);
    expect(both.map((a) => a.status).sort()).toEqual([200, 409]);
    const saved = both.find((a) => a.status === 200)!.body;
    const late = both.find((a) => a.status === 409)!.body;
    expect(late).toMatchObject({
      code: 'changed_meanwhile',
      current: { version: watch.version + 1, updatedAt: saved.updatedAt, body: saved.body },
    });
    // Over it, on purpose.
    expect((await save(watch.version + 1, 48)).body).toMatchObject({
      version: watch.version + 2,
      body: { windowHours: 48 },
    });
    await w.off(watch);
  });

  it('is looked at once, however many look at the same time', async () => {
    const watch = await w.add(w.watchOn(of, { act: 'notify' }));
    await w.caughtUp();
    await Promise.all([1, 2, 3].map(() => checkDueWatches(w.deps())));
    expect((await w.history(watch)).runs).toHaveLength(1);
    await w.off(watch);
  });

  it('writes down only that it looked, while nothing changes; and what an open finding is now when it does', async () => {
    const quiet = await w.add(w.watchOn(of, { act: 'notify' }));
    const none = await w.add(
      w.watchOn(of, {
        act: 'notify',
        conditions: [{ figure: 'buttonClicks', is: '>', than: 1e6, unit: 'own' }],
      }),
    );
    await w.check();
    const stored = async () =>
      (
        await desk.pool.query<{ value: string; version: string; spent: string }>(
          `SELECT value, xmin::text AS version, spent_micros::text AS spent FROM watch_findings WHERE watch_id = $1 ORDER BY value`,
          [quiet.id],
        )
      ).rows;
    const before = await stored();
    expect(before.map((f) => f.value)).toEqual(expect.arrayContaining(['fern', 'moss']));
    // Three servers come at once; the watches were looked at by one of them.
    w.nowMs += HOUR_MS;
    await w.caughtUp();
    await Promise.all([1, 2, 3].map(() => checkDueWatches(w.deps())));
    expect(await stored()).toEqual(before);
    for (const watch of [quiet, none]) {
      const { runs } = await w.history(watch);
      expect(runs).toHaveLength(2);
      expect(runs[0]).toMatchObject({ rows: 5, found: 0, acted: 0, note: '' });
    }
    const row = (await desk.owner.get<{ rows: WatchRecord[] }>('/watches')).body.rows.find(
      (r) => r.id === quiet.id,
    )!;
    expect(Date.parse(row.nextAt!)).toBeGreaterThan(w.nowMs);
    await w.visits(of, 1, 500_000, { site: 'moss' });
    w.nowMs += HOUR_MS;
    await w.check();
    const spent = (rows: typeof before) => new Map(rows.map((f) => [f.value, Number(f.spent)]));
    expect(spent(await stored()).get('moss')).toBe(spent(before).get('moss')! + 500_000);
    await w.off(quiet);
    await w.off(none);
  });

  it('says that it failed where the desk can’t be read, and looks with the next turn', async () => {
    const watch = await w.add(w.watchOn(of, { act: 'notify' }));
    await w.caughtUp();
    const nobodys: unknown[] = [];
    const note = (error: unknown): unknown => nobodys.push(error);
    process.on('unhandledRejection', note);
    const troubles: string[] = [];
    const failing = new Proxy(desk.pool, {
      get: (pool, name) =>
        name !== 'query'
          ? (Reflect.get(pool, name) as unknown)
          : (text: string, values: unknown[]) =>
              text.startsWith('SELECT zone')
                ? Promise.reject(new Error('the connection was lost'))
                : pool.query(text, values),
    });
    await checkDueWatches(
      w.deps({ pool: failing, onTrouble: (_, error) => void troubles.push((error as Error).message) }),
    );
    process.off('unhandledRejection', note);
    expect([nobodys, troubles]).toEqual([[], ['the connection was lost']]);
    const stored = () =>
      desk.pool.query<{ waits: string }>('SELECT waits FROM watches WHERE id = $1', [watch.id]);
    expect((await stored()).rows[0]!.waits).toBe('The last check failed. Tracheon tries again.');
    await w.check();
    expect((await w.history(watch)).runs).toHaveLength(1);
    expect((await stored()).rows[0]!.waits).toBe('');
    await w.off(watch);
  });

  it('waits while figures are behind, and says for what', async () => {
    const watch = await w.add(w.watchOn(of, { act: 'notify' }));
    const waits = async (): Promise<string> =>
      (await desk.owner.get<{ rows: WatchRecord[] }>('/watches')).body.rows.find((w) => w.id === watch.id)!
        .waits;
    await w.check({ ask: () => Promise.reject(new Problem('numbers_away')) });
    expect(await waits()).not.toBe('');
    w.waiting = 3;
    await w.check();
    expect(await waits()).toBe('Visits wait on disk for the database.');
    w.waiting = 0;
    await w.check();
    expect(await waits()).toBe('');
    expect((await w.history(watch)).runs).toHaveLength(1);
    await w.off(watch);
  });

  it('is refused with what is wrong, and gone when it is deleted', async () => {
    const refused = async (more: object): Promise<string[]> => {
      const { body } = await desk.owner.post<ProblemDocument>('/watches', { ...w.watchOn(of), ...more });
      return (body.fields ?? []).map((f) => f.path);
    };
    expect(await refused({ campaignId: of.offer.id })).toEqual(['campaignId']);
    expect(await refused({ windowHours: 1, skipHours: 1 })).toContain('skipHours');
    const watch = await w.add(w.watchOn(of));
    expect(await refused({ name: watch.body.name.toUpperCase() })).toEqual(['name']);
    expect((await desk.owner.remove(`/watches/${watch.id}`)).status).toBe(200);
    expect((await desk.owner.get(`/watches/${watch.id}/history`)).status).toBe(404);
  });

  it('is checked at once when it is switched on, not only when its minute comes', async () => {
    // The timetable's own runs carry no data.
    const asked = async (): Promise<number> => {
      const { rows } = await desk.pool.query<{ n: number }>(
        `SELECT count(*)::int AS n FROM pgboss.job WHERE name = 'check-watches' AND data = '{}'`,
      );
      return rows[0]!.n;
    };
    const before = await asked();
    const { body: watch } = await desk.owner.post<WatchRecord>('/watches', w.watchOn(of, { isOn: false }));
    expect(await asked()).toBe(before);
    const { version, body } = watch;
    await desk.owner.put(`/watches/${watch.id}`, { version, body: { ...body, isOn: true } });
    await until(async () => (await asked()) === before + 1, 'the run that was asked for');
    await until(async () => (await w.history(watch)).runs.length === 1, 'the first check', 60_000);
    await w.off(watch);
    expect(await asked()).toBe(before + 1);
  });
});
