/** Watches: what they find in real figures, what they do about it, once, and what members decide. */
import type { Server } from 'node:http';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import {
  watchInput,
  type ListEntry,
  type Notice,
  type PartRecord,
  type Problem as ProblemDocument,
  type WatchFinding,
  type WatchInput,
  type WatchRecord,
  type WatchRun,
  type WatchTrial,
} from '@tracheon/core/contract';
import { makeUlid } from '@tracheon/core/identity';
import { unknownVisit } from '@tracheon/core/visits';
import { commitVisits } from '../../server/events/commitRows.ts';
import type { VisitRecord } from '../../server/events/rows.ts';
import { KeptIndex } from '../../server/numbers/keptIndex.ts';
import { serveNumbers, socketOf } from '../../server/numbers/numbersService.ts';
import { Problem } from '../../server/problems/problem.ts';
import { checkDueWatches, type WatchDeps } from '../../server/watches/checkWatches.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import type { Chain } from './testDesk.ts';
import { caughtUp } from './testIndex.ts';

const HOUR_MS = 3_600_000;
const folder = mkdtempSync(join(tmpdir(), 'tracheon-watches-'));
const troubles: string[] = [];
let desk: OwnDesk;
let kept: KeptIndex;
let service: Server;
/** Of the checks of this test: ahead of the server's own, which finds nothing due. */
let nowMs = Date.now() + HOUR_MS / 2;
let waiting = 0;
beforeAll(async () => {
  desk = await openOwnServer();
  kept = new KeptIndex({
    pool: desk.pool,
    path: join(folder, 'numbers.duckdb'),
    feedEveryMs: 20,
    log: { info: () => undefined, error: (more, words) => void troubles.push(words + JSON.stringify(more)) },
  });
  service = await serveNumbers(kept, socketOf(desk.config.dataFolder));
});
afterAll(async () => {
  service.close();
  service.closeAllConnections();
  await kept.close();
  await desk.close();
  rmSync(folder, { recursive: true, force: true });
});

const deps = (more: Partial<WatchDeps> = {}): WatchDeps => ({
  pool: desk.pool,
  models: desk.running.models,
  ask: async (deskId, asked) => {
    const answer = (await kept.ask(deskId, asked, new AbortController().signal))!;
    // The test is ahead of the clock, and so is what has been taken in.
    return { ...answer, fedAt: new Date(nowMs).toISOString() };
  },
  now: () => nowMs,
  waiting: () => Promise.resolve(waiting),
  tell: () => undefined,
  onTrouble: (_, error) => void troubles.push(String((error as Error).stack)),
  ...more,
});
async function check(more: Partial<WatchDeps> = {}): Promise<void> {
  await caughtUp(desk.pool, kept, troubles);
  await checkDueWatches(deps(more));
  expect(troubles).toEqual([]);
}

let n = 0;
/** Visits old enough to have converted, of a source and campaign that are there. */
async function visits(
  of: Chain,
  site: string | ((i: number) => string),
  count: number,
  micros: number,
  hoursAgo = 30,
): Promise<string[]> {
  const rows = Array.from({ length: count }, (_, i): VisitRecord => {
    n += 1;
    const atMs = Date.now() - hoursAgo * HOUR_MS + n;
    return {
      ...unknownVisit,
      deskId: desk.deskId,
      id: makeUlid(
        atMs,
        Array.from({ length: 16 }, (_, i) => (i * 7 + n) % 32),
      ),
      atMs,
      campaignId: of.campaign.id,
      campaignVersion: 1,
      sourceId: of.source.id,
      offerId: of.offer.id,
      networkId: of.network.id,
      costMicros: BigInt(micros),
      costCurrency: 'EUR',
      address: '',
      userAgent: '',
      subs: { site: typeof site === 'string' ? site : site(i) },
      cookies: '',
    } as VisitRecord;
  });
  await commitVisits(desk.pool)(rows);
  return rows.map((r) => r.id);
}

const watchOn = (of: Chain, more: Partial<WatchInput> = {}): WatchInput =>
  watchInput.parse({
    name: `Sites that lose ${++n}`,
    subject: 'sub_site',
    sourceId: of.source.id,
    conditions: [
      { figure: 'spentMicros', is: '>=', than: 2, unit: 'payouts' },
      { figure: 'conversions', is: '=', than: 0 },
    ],
    windowHours: 200,
    skipHours: 1,
    everyMinutes: 60,
    act: 'block',
    asks: false,
    isOn: true,
    ...more,
  });
/** Due by the clock of the test, and not by the server's. */
async function add(body: WatchInput): Promise<WatchRecord> {
  const { status, body: made } = await desk.owner.post<WatchRecord>('/watches', body);
  expect([status, made]).toEqual([200, expect.anything()]);
  await desk.pool.query('UPDATE watches SET next_at = $2 WHERE id = $1', [made.id, new Date(nowMs)]);
  return made;
}
interface History {
  runs: WatchRun[];
  findings: WatchFinding[];
}
const history = async ({ id }: WatchRecord): Promise<History> =>
  (await desk.owner.get<History>(`/watches/${id}/history`)).body;
const found = async (watch: WatchRecord): Promise<string[]> =>
  (await history(watch)).findings.map((f) => `${f.name} ${f.state}${f.endedAt ? ' ended' : ''}`).sort();
const blocked = async (of: Chain): Promise<string[]> =>
  (await desk.owner.get<ListEntry[]>(`/list-entries?sourceId=${of.source.id}`)).body
    .filter((e) => e.removedAt === null)
    .map((e) => `${e.value} ${e.list}`)
    .sort();
const decide = (finding: WatchFinding, decision: string) =>
  desk.owner.post<WatchFinding & ProblemDocument>(`/watch-findings/${finding.id}/decide`, { decision });
const off = async (watch: WatchRecord): Promise<void> =>
  void (await desk.owner.put(`/watches/${watch.id}`, { ...watch.body, isOn: false }));

describe('a watch over sites', () => {
  let of: Chain;
  beforeAll(async () => {
    of = await desk.chain({ offer: { payoutMicros: '10000000', currency: 'EUR' } });
    // Two payouts are 20.00.
    await visits(of, 'moss', 50, 500_000);
    await visits(of, 'fern', 60, 500_000);
    await visits(of, 'pebble', 39, 500_000);
    const [sold] = await visits(of, 'heron', 80, 500_000);
    await desk.say(of.network.key, `click_id=${sold}&payout=10&currency=EUR&transaction=w-1&status=ok`);
    await visits(of, 'young', 100, 500_000, 3);
  });

  it('shows what it would find, and does nothing', async () => {
    await caughtUp(desk.pool, kept, troubles);
    const trial = await desk.owner.post<WatchTrial>('/watches/try', watchOn(of));
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
    expect(await blocked(of)).toEqual([]);
  });

  it('acts once on each, the costliest first, as often as a day allows; and the rest on the next day', async () => {
    const watch = await add(watchOn(of, { actsPerDay: 1 }));
    await check();
    expect(await found(watch)).toEqual(['fern done', 'moss put_off']);
    expect(await blocked(of)).toEqual(['fern block']);
    const [run] = (await history(watch)).runs;
    expect(run).toMatchObject({ rows: 5, matched: 2, found: 2, acted: 1, note: '' });
    const { notices } = (await desk.owner.get<{ notices: Notice[] }>('/notices')).body;
    expect(notices[0]).toMatchObject({ watchId: watch.id, isRead: false });
    expect(notices[0]!.title).toContain('2 found, 1 blocked');
    expect(notices[0]!.text).toContain('fern: spent 30.00 EUR, conversions 0.');
    // It is not due again before its time, and then finds nothing new.
    await check();
    expect((await history(watch)).runs).toHaveLength(1);
    nowMs += HOUR_MS;
    await check();
    expect((await history(watch)).runs[0]).toMatchObject({ found: 0, acted: 0 });
    nowMs += 24 * HOUR_MS;
    await check();
    expect(await found(watch)).toEqual(['fern done', 'moss done']);
    expect(await blocked(of)).toEqual(['fern block', 'moss block']);
    // What was missed meanwhile was made up for by one check.
    expect((await history(watch)).runs).toHaveLength(3);
    await off(watch);
  });

  it('ends a finding when its conditions hold no more, and rests before it acts again', async () => {
    const watch = await add(
      watchOn(of, {
        subject: 'campaign_id',
        sourceId: of.source.id,
        act: 'pause',
        restHours: 24,
        windowHours: 200,
        conditions: [{ figure: 'profitMicros', is: '<', than: 0, unit: 'own' }],
      }),
    );
    await check();
    const campaign = async () => (await desk.owner.get<PartRecord>(`/parts/campaign/${of.campaign.id}`)).body;
    expect((await campaign()).state).toBe('paused');
    const [finding] = (await history(watch)).findings;
    expect(finding).toMatchObject({ state: 'done', value: of.campaign.id });
    expect((await decide(finding!, 'undo')).body).toMatchObject({ state: 'undone' });
    expect((await campaign()).state).toBe('live');
    // Undone is not done again by the same finding.
    nowMs += HOUR_MS;
    await check();
    expect((await campaign()).state).toBe('live');
    expect((await decide(finding!, 'act')).body).toMatchObject({ state: 'done' });
    const now = await campaign();
    await desk.owner.put(`/parts/campaign/${now.id}/state`, { state: 'live' });
    expect((await decide(finding!, 'undo')).status).toBe(409);
    await off(watch);
  });

  it('puts thousands of findings into one notice, and acts on no more than a day allows', async () => {
    const own = await desk.chain({ offer: { payoutMicros: '10000000', currency: 'EUR' } });
    const many = 3000;
    await visits(own, (i) => `site “${i}” 'x'; :at $1 ?`, many, 25_000_000);
    const watch = await add(watchOn(own, { actsPerDay: 100 }));
    await check();
    const [run] = (await history(watch)).runs;
    expect(run).toMatchObject({ rows: many, matched: many, found: many, acted: 100 });
    const { notices } = (await desk.owner.get<{ notices: Notice[] }>('/notices')).body;
    const ours = notices.filter((notice) => notice.watchId === watch.id);
    expect(ours).toHaveLength(1);
    expect(ours[0]!.title).toBe(`${watch.body.name}: ${many} found, 100 blocked`);
    expect(ours[0]!.text).toContain(`And ${many - 20} more.`);
    expect(await blocked(own)).toHaveLength(100);
    expect((await desk.owner.post('/notices/read', { ids: [ours[0]!.id] })).status).toBe(200);
    const now = (await desk.owner.get<{ notices: Notice[] }>('/notices')).body.notices;
    expect(now.find((notice) => notice.id === ours[0]!.id)!.isRead).toBe(true);
    await off(watch);
  });

  it('asks when it is told to, and while postbacks need repair', async () => {
    const own = await desk.chain({ offer: { payoutMicros: '10000000', currency: 'EUR' } });
    await visits(own, 'asked', 50, 500_000);
    const asking = await add(watchOn(own, { asks: true }));
    await check();
    const { asked } = (await desk.owner.get<{ asked: WatchFinding[] }>('/notices')).body;
    expect(asked).toEqual([expect.objectContaining({ name: 'asked', state: 'asked', watchId: asking.id })]);
    const answers = await Promise.all([decide(asked[0]!, 'act'), decide(asked[0]!, 'act')]);
    expect(answers.map((a) => a.status).sort()).toEqual([200, 409]);
    expect((await history(asking)).findings[0]).toMatchObject({ state: 'done', by: 'Owner' });
    expect(await blocked(own)).toEqual(['asked block']);
    await decide(asked[0]!, 'undo');
    expect(await blocked(own)).toEqual([]);
    expect((await decide(asked[0]!, 'undo')).status).toBe(409);
    // Asked another question, it has nothing left to decide of the first one.
    await desk.owner.put(`/watches/${asking.id}`, { ...asking.body, subject: 'offer_id', act: 'notify' });
    expect((await decide(asked[0]!, 'act')).status).toBe(409);
    await off(asking);
    nowMs = Date.now() + HOUR_MS / 2;
    for (let i = 0; i < 6; i++) await desk.say(own.network.key, `click_id=nothing-${i}&payout=1`);
    await visits(own, 'doubtful', 50, 500_000);
    const acting = await add(watchOn(own));
    await check();
    const { runs, findings } = await history(acting);
    expect(findings.every((f) => f.state === 'asked' && f.why.includes('need repair'))).toBe(true);
    expect(runs[0]!.note).toContain('It asks instead of acting.');
    await off(acting);
  });

  it('is looked at once, however many look at the same time', async () => {
    const watch = await add(watchOn(of, { act: 'notify' }));
    await caughtUp(desk.pool, kept, troubles);
    await Promise.all([1, 2, 3].map(() => checkDueWatches(deps())));
    expect((await history(watch)).runs).toHaveLength(1);
    await off(watch);
  });

  it('waits while figures are behind, and says for what', async () => {
    const watch = await add(watchOn(of, { act: 'notify' }));
    const waits = async (): Promise<string> =>
      (await desk.owner.get<{ rows: WatchRecord[] }>('/watches')).body.rows.find((w) => w.id === watch.id)!
        .waits;
    await check({ ask: () => Promise.reject(new Problem('numbers_away')) });
    expect(await waits()).not.toBe('');
    waiting = 3;
    await check();
    expect(await waits()).toBe('Visits wait on disk for the database.');
    waiting = 0;
    await check();
    expect(await waits()).toBe('');
    expect((await history(watch)).runs).toHaveLength(1);
    await off(watch);
  });

  it('is refused with what is wrong, and gone when it is deleted', async () => {
    const refused = async (more: object): Promise<string[]> => {
      const { body } = await desk.owner.post<ProblemDocument>('/watches', { ...watchOn(of), ...more });
      return (body.fields ?? []).map((f) => f.path);
    };
    expect(await refused({ campaignId: of.offer.id })).toEqual(['campaignId']);
    expect(await refused({ windowHours: 1, skipHours: 1 })).toContain('skipHours');
    const watch = await add(watchOn(of));
    expect(await refused({ name: watch.body.name.toUpperCase() })).toEqual(['name']);
    expect((await desk.owner.remove(`/watches/${watch.id}`)).status).toBe(200);
    expect((await desk.owner.get(`/watches/${watch.id}/history`)).status).toBe(404);
  });
});
