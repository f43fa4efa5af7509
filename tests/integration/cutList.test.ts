/** Cut lists: what loses, what cutting it would have done, the lists of the source, and values kept away by routing. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { DateTime } from 'luxon';
import {
  cutListAsked,
  type CutListAnswer,
  type ListEntry,
  type PartRecord,
  type RunningConfiguration,
  type VerdictRules,
} from '@tracheon/core/contract';
import { keepAway } from '@tracheon/core/cutting';
import { makeUlid } from '@tracheon/core/identity';
import { unknownVisit } from '@tracheon/core/visits';
import { cutList } from '../../server/cutLists/cutList.ts';
import { commitVisits } from '../../server/events/commitRows.ts';
import type { VisitRecord } from '../../server/events/rows.ts';
import type { KeptIndex } from '../../server/numbers/keptIndex.ts';
import { furtherDesk, openOwnServer, type OwnDesk } from './ownServer.ts';
import { until, type Chain } from './testDesk.ts';
import { openIndex } from './testIndex.ts';

const DAY_MS = 86_400_000;
const folder = mkdtempSync(join(tmpdir(), 'tracheon-cut-'));
let desk: OwnDesk;
let chain: Chain;
let kept: KeptIndex;
beforeAll(async () => {
  desk = await openOwnServer();
  chain = await desk.chain();
  kept = openIndex(desk.pool, join(folder, 'numbers.duckdb'));
});
afterAll(async () => {
  await kept.close();
  await desk.close();
  rmSync(folder, { recursive: true, force: true });
});

/** Noon of the day so many days ago, where the desk is. */
const noonMs = (daysAgo: number): number =>
  DateTime.fromMillis(Date.now(), { zone: 'Europe/Brussels' }).startOf('day').plus({ hours: 12 }).toMillis() -
  daysAgo * DAY_MS;
const dayOf = (daysAgo: number): string =>
  DateTime.fromMillis(noonMs(daysAgo), { zone: 'Europe/Brussels' }).toISODate()!;
let n = 0;
const visit = (daysAgo: number, site: string, micros: bigint): VisitRecord =>
  ({
    ...unknownVisit,
    deskId: desk.deskId,
    id: makeUlid(
      noonMs(daysAgo) + n,
      Array.from({ length: 16 }, (_, i) => (i * 7 + n++) % 32),
    ),
    atMs: noonMs(daysAgo) + n,
    campaignId: chain.campaign.id,
    sourceId: chain.source.id,
    offerId: chain.offer.id,
    networkId: chain.network.id,
    costMicros: micros,
    costCurrency: 'EUR',
    subs: site === '' ? {} : { site },
    address: '',
    userAgent: '',
  }) as VisitRecord;
/** Visits of a day, and how many of them bring 10.00. */
async function day(
  daysAgo: number,
  site: string,
  visits: number,
  euros: number,
  conversions: number,
): Promise<void> {
  const each = BigInt(Math.round((euros * 1e6) / visits));
  const rows = Array.from({ length: visits }, () => visit(daysAgo, site, each));
  await commitVisits(desk.pool)(rows);
  for (const { id } of rows.slice(0, conversions)) {
    const at = new Date(noonMs(daysAgo) + 3_600_000).toISOString();
    await desk.say(
      chain.network.key,
      `click_id=${id}&payout=10&currency=EUR&transaction=${id}&status=ok&conversion_time=${encodeURIComponent(at)}`,
    );
  }
}
const asked = (from: number, to: number) =>
  cutListAsked.parse({ sourceId: chain.source.id, sub: 'site', from: dayOf(from), to: dayOf(to) });
const list = async (from = 14, to = 2): Promise<CutListAnswer> =>
  cutList(
    async (question) => (await kept.ask(desk.deskId, question, new AbortController().signal))!,
    asked(from, to),
    new Map([['turned', 'block']]),
  );

describe('a cut list', () => {
  it('names what loses, with its verdict, and says what cutting would have done on the later days only', async () => {
    // Over the first week two sites spend 60 without a conversion; one of them turns later.
    await day(12, 'bad', 100, 60, 0);
    await day(12, 'turned', 100, 60, 0);
    await day(12, 'good', 100, 60, 12);
    await day(4, 'bad', 50, 24, 0);
    await day(4, 'turned', 50, 20, 6);
    await day(4, 'good', 50, 20, 4);
    await day(4, '', 5, 2, 0);
    const { rows } = await whenIndexed(() => list());
    expect(rows.map((r) => [r.value, r.verdict.kind, r.list])).toEqual([
      ['bad', 'cut', ''],
      ['turned', 'bid_down', 'block'],
      ['good', 'bid_up', ''],
    ]);
    expect(rows[0]!.figures.profitMicros).toBe('-84000000');
    const { trial, total } = await list();
    expect(total.spentMicros).toBe('246000000');
    // bad would have saved 24, turned would have cost 40.
    expect(trial).toEqual({
      // The first visit came 12 days ago.
      from: dayOf(5),
      to: dayOf(2),
      cut: 2,
      savedMicros: '-16000000',
      mistakes: [{ value: 'turned', profitMicros: '40000000' }],
    });
    // Seven days with visits leave none to judge by.
    expect((await list(14, 6)).trial).toBeNull();
    expect((await list(30, 20)).trial).toBeNull();
    expect((await list(14, 5)).trial).toMatchObject({
      from: dayOf(5),
      cut: 2,
      savedMicros: '0',
      mistakes: [],
    });
  });

  it('goes by the rules of the desk', async () => {
    const before = (await desk.owner.get<VerdictRules>('/desk/verdict-rules')).body;
    expect(before).toMatchObject({ cutBelow: 5, cutAfterPayouts: 1, cutRoi: null });
    const strict = { ...before, cutRoi: -10, noConversionPayouts: 90, cutBelow: 0 };
    expect((await desk.owner.put('/desk/verdict-rules', strict)).status).toBe(200);
    expect((await list()).rows.map((r) => [r.value, r.verdict.kind])).toEqual([
      ['bad', 'cut'],
      ['turned', 'cut'],
      ['good', 'bid_up'],
    ]);
    expect((await desk.owner.put('/desk/verdict-rules', { ...before, cutBelow: 80 })).status).toBe(422);
    await desk.owner.put('/desk/verdict-rules', before);
  });
});

/** Once the index has everything. */
async function whenIndexed(read: () => Promise<CutListAnswer>): Promise<CutListAnswer> {
  let last: CutListAnswer | undefined;
  await until(
    async () => {
      if (kept.state.state !== 'ready') return false;
      last = await read();
      return last.total.visits === 455 && last.total.conversions === 22;
    },
    'the index to have everything',
    30_000,
  );
  return last!;
}

describe('the lists of a source', () => {
  const add = (
    list: string,
    values: string[],
    more: object = {},
    reason = 'spent 3 payouts, no conversion',
  ) =>
    desk.owner.post<ListEntry[]>('/list-entries', {
      sourceId: chain.source.id,
      sub: 'site',
      list,
      values: values.map((value) => ({ value, profitMicros: '-30000000', reason })),
      days: 10,
      ...more,
    });
  const all = async (): Promise<ListEntry[]> =>
    (await desk.owner.get<ListEntry[]>(`/list-entries?sourceId=${chain.source.id}`)).body;

  it('keep what was added with its reason, who and when; twice is once; a value moves between them', async () => {
    const added = await add('block', ['a', 'b', 'a']);
    expect(added.body).toMatchObject([
      {
        value: 'a',
        reason: 'spent 3 payouts, no conversion',
        profitPerDayMicros: '-3000000',
        removedAt: null,
      },
      { value: 'b' },
    ]);
    expect(added.body[0]!.by).not.toBe('');
    expect((await add('block', ['a', 'c'])).body.map((e) => e.value)).toEqual(['c']);
    await add('allow', ['b']);
    const on = (await all()).filter((e) => e.removedAt === null);
    expect(on.map((e) => [e.value, e.list]).sort()).toEqual([
      ['a', 'block'],
      ['b', 'allow'],
      ['c', 'block'],
    ]);
    const [first] = on.filter((e) => e.value === 'a');
    const removed = await desk.owner.post<ListEntry[]>('/list-entries/remove', { ids: [first!.id] });
    expect(removed.body[0]!.removedAt).not.toBeNull();
    expect((await add('block', ['a'])).body).toHaveLength(1);
    expect((await all()).filter((e) => e.value === 'a')).toHaveLength(2);
  });

  it('take the same values from two members at once only once', async () => {
    const answers = await Promise.all([add('block', ['x', 'y']), add('block', ['y', 'x'])]);
    expect(answers.map((a) => a.status)).toEqual([200, 200]);
    expect(answers.flatMap((a) => a.body.map((e) => e.value)).sort()).toEqual(['x', 'y']);
  });

  it('refuse what can’t be', async () => {
    expect((await add('block', [])).status).toBe(422);
    expect((await add('block', ['new', 'a'], {}, ' ')).status).toBe(422);
    expect((await add('grey', ['a'])).status).toBe(422);
    expect((await add('block', ['a'], { sourceId: chain.offer.id })).status).toBe(404);
    const other = await furtherDesk(desk);
    const theirs = {
      sourceId: chain.source.id,
      sub: 'site',
      list: 'block',
      values: [{ value: 'a', reason: 'x' }],
      days: 1,
    };
    expect((await other.owner.post('/list-entries', theirs)).status).toBe(404);
    const [entry] = await all();
    expect((await other.owner.post('/list-entries/remove', { ids: [entry!.id] })).status).toBe(404);
    expect((await other.owner.get<ListEntry[]>(`/list-entries?sourceId=${chain.source.id}`)).body).toEqual(
      [],
    );
  });
});

it('values that are kept away go to the fallback, all others to the offer', async () => {
  const path = `/parts/campaign/${chain.campaign.id}`;
  const { body } = await desk.owner.get<PartRecord<'campaign'>>(path);
  const changed = keepAway(body.body, 'site', ['bad', 'worse'])!;
  const saved = await desk.owner.put(path, {
    version: body.version,
    body: { ...changed, fallbackUrl: 'https://elsewhere.example/' },
  });
  expect(saved.status).toBe(200);
  await until(
    async () => (await desk.owner.get<RunningConfiguration>('/configuration')).body.isLive,
    'the routing to be live',
  );
  const host = async (site: string): Promise<string> => {
    const res = await desk.visit(`/v/${chain.campaign.key}?clk=${Math.random()}&site=${site}`);
    return new URL(res.headers.get('location')!).host;
  };
  expect([await host('bad'), await host('worse')]).toEqual(['elsewhere.example', 'elsewhere.example']);
  expect(await host('good')).toBe(new URL(chain.offer.body.link).host);
});
