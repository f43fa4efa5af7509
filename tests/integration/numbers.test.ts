/** The numbers index: answers as PostgreSQL itself sums, whatever is asked, also after late changes, deaths and damage. */
import { mkdtempSync, rmSync, truncateSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { DateTime } from 'luxon';
import { numbersAsked, type Figures, type NumbersAnswer, type ValueFilter } from '@tracheon/core/contract';
import { makeUlid } from '@tracheon/core/identity';
import { figureNames } from '@tracheon/core/metrics';
import { unknownVisit } from '@tracheon/core/visits';
import { commitClicks, commitVisits, insertVisitRows } from '../../server/events/commitRows.ts';
import type { VisitRecord } from '../../server/events/rows.ts';
import { QuestionTooLong, type KeptIndex } from '../../server/numbers/keptIndex.ts';
import { startNightlyCheck } from '../../server/numbers/nightlyCheck.ts';
import { verify } from '../../server/numbers/verify.ts';
import { furtherDesk, openOwnServer, type OwnDesk } from './ownServer.ts';
import { until, type Chain } from './testDesk.ts';
import { caughtUp, inIndex, openIndex } from './testIndex.ts';

const folder = mkdtempSync(join(tmpdir(), 'tracheon-numbers-'));
const path = join(folder, 'numbers.duckdb');
const troubles: string[] = [];
// Indexes of a database of its own: those of the shared one would take in what all other files write.
let desk: OwnDesk;
let chain: Chain;
let kept: KeptIndex;
const open = (more: { questionMs?: number; path?: string; fewRows?: number } = {}): KeptIndex =>
  openIndex(desk.pool, path, troubles, {
    // Whatever can be kept is, so that no answer goes by it.
    keptSums: { leastVisits: 1, quietMs: 0 },
    // As for many rows, which take far more statements.
    fewRows: 0,
    ...more,
  });
beforeAll(async () => {
  desk = await openOwnServer();
  chain = await desk.chain();
  kept = open();
});
afterAll(async () => {
  await kept.close();
  await desk.close();
  rmSync(folder, { recursive: true, force: true });
});

/** A generator of its own, so that a failure can be run again. */
let seed = 20_261_127;
const random = (below: number): number => {
  seed = (seed * 1_103_515_245 + 12_345) % 2_147_483_648;
  return Math.floor((seed / 2_147_483_648) * below);
};
const one = <T>(all: readonly T[]): T => all[random(all.length)]!;
const DAY_MS = 86_400_000;
const FIRST_MS = Date.UTC(2026, 9, 22);
const DAYS = 6;

/** What a file may take for something else. */
const HARD = ['\\N', 'two\r\nlines, "quoted"\\\t', '"', 'NULL', ' edge '];

/** Over the night in which clocks in Europe go back. */
function someVisit(): VisitRecord {
  const atMs = FIRST_MS + random(DAYS * DAY_MS);
  const sub = one(['', 'moss', 'Fern', 'fern', '😀 “quoted”', `o'brien`, 's12', ...HARD]);
  return {
    ...unknownVisit,
    deskId: desk.deskId,
    id: makeUlid(
      atMs,
      Array.from({ length: 16 }, () => random(32)),
    ),
    atMs,
    campaignId: one([chain.campaign.id, '01J00000000000000000000001']),
    sourceId: chain.source.id,
    offerId: one([chain.offer.id, '']),
    networkId: chain.network.id,
    landingId: one(['', '01J00000000000000000000002']),
    country: one(['BE', 'NL', '']),
    device: one(['phone', 'desktop']),
    isBot: random(9) === 0,
    isRepeat: random(9) === 0,
    isUnique: random(3) > 0,
    isTest: random(15) === 0,
    costMicros: one([null, 12_345n, 999_999n, 1n]),
    costCurrency: one(['EUR', 'EUR', 'USD', 'JPY']),
    subs: sub === '' ? {} : { site: sub, [one(['Ad', 'ad', 'zone id'])]: one(['1', '2']) },
    address: '',
    userAgent: '',
  } as VisitRecord;
}
async function addVisits(count: number): Promise<VisitRecord[]> {
  const rows = Array.from({ length: count }, someVisit);
  await commitVisits(desk.pool)(rows.slice(0, count / 2));
  // As they come out of a spool; some of them are there already.
  await insertVisitRows(desk.pool, rows.slice(count / 2 - 5));
  const clicked = rows.filter((r) => r.landingId !== '' && random(2) === 0);
  await commitClicks(desk.pool)(
    clicked.map((v, i) => ({
      deskId: v.deskId,
      id: makeUlid(v.atMs + 1000, Array(16).fill(i % 32)),
      atMs: v.atMs + 1000,
      visitId: v.id,
      n: 1,
      landingId: v.landingId,
      offerId: v.offerId,
      told: '',
      match: 'link' as const,
    })),
  );
  return rows;
}

/** Everything that the tests make. */
const PERIOD = { from: '2026-10-01', to: DateTime.now().plus({ days: 30 }).toISODate() };
const ask = (asked: object, index = kept): Promise<NumbersAnswer> =>
  index
    .ask(desk.deskId, numbersAsked.parse({ ...PERIOD, limit: 500, ...asked }), new AbortController().signal)
    .then((a) => a!);
const drained = (): Promise<void> => caughtUp(desk.pool, kept, troubles);
const ofOwn = async () => (await verify(desk.pool, kept.open!)).filter((d) => d.deskId === desk.deskId);

/** Every visit of the desk, as the index has it. */
function stored(): Promise<{ subs: unknown }[]> {
  const { visits, subs } = kept.open!.tablesOf(desk.deskId)!;
  const named = [...subs].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, column]) => column);
  return inIndex(
    kept.open!,
    `SELECT * EXCLUDE (${named.join(', ')}), list_value(${named.join(', ')}) AS subs FROM ${visits} ORDER BY id_ms, id_a, id_b, id_c`,
  );
}

/** The same by PostgreSQL, straight from the events; times by its own calendar. */
async function byDatabase(
  keys: string[],
  from: string,
  to: string,
  zone: string,
  only: ValueFilter[] = [],
): Promise<Map<string, object>> {
  const local = `(v.at AT TIME ZONE '${zone}')`;
  const sql: Record<string, string> = {
    day: `${local}::date::text`,
    week: `date_trunc('week', ${local})::date::text`,
    month: `to_char(${local}, 'YYYY-MM')`,
    hour: `to_char(${local}, 'HH24')`,
    weekday: `extract(isodow FROM ${local})::int::text`,
  };
  const columnOf = (k: string): string =>
    k.startsWith('sub_') ? `coalesce(v.subs->>'${k.slice(4)}', '')` : (sql[k] ?? `v.${k}`);
  const columns = keys.map(columnOf);
  const values: string[][] = [];
  const where = only.map(({ by, is, values: these }) => {
    const n = values.push(these) + 3;
    if (is === 'contains')
      return `EXISTS (SELECT 1 FROM unnest($${n}::text[]) t WHERE position(lower(t) IN lower(${columnOf(by)})) > 0)`;
    return `${is === 'not' ? 'NOT ' : ''}(${columnOf(by)} = ANY ($${n}::text[]))`;
  });
  const counted = 'NOT v.is_bot AND NOT v.is_repeat AND NOT v.is_test';
  const clicked =
    'EXISTS (SELECT 1 FROM button_clicks b WHERE b.desk_id = v.desk_id AND b.day = v.day AND b.visit_id = v.id)';
  const { rows } = await desk.pool.query<Record<string, string>>(
    `SELECT to_json(array[${columns.join(', ')}])::text AS key, count(*) FILTER (WHERE ${counted}) AS visits,
       count(*) FILTER (WHERE ${counted} AND v.is_unique) AS "unique", count(*) FILTER (WHERE v.is_test) AS tests,
       count(*) FILTER (WHERE ${counted} AND v.landing_id <> '' AND ${clicked}) AS "buttonClicks",
       coalesce(sum(v.cost_micros) FILTER (WHERE NOT v.is_test AND v.cost_currency = 'EUR'), 0) AS euros,
       coalesce(sum(v.cost_micros) FILTER (WHERE NOT v.is_test AND v.cost_currency = 'USD'), 0) AS dollars
     FROM visits v WHERE ${['v.desk_id = $1', `${local}::date BETWEEN $2 AND $3`, ...where].join(' AND ')} GROUP BY 1`,
    [desk.deskId, from, to, ...values],
  );
  return new Map(
    rows.map((r) => [
      JSON.stringify(JSON.parse(r.key!)),
      {
        visits: Number(r.visits),
        unique: Number(r.unique),
        tests: Number(r.tests),
        buttonClicks: Number(r.buttonClicks),
        // 1 USD is 0.80 EUR; JPY has no rate.
        spent: BigInt(r.euros!) + (BigInt(r.dollars!) * 8n + 5n) / 10n,
      },
    ]),
  );
}
const someFilter = (): ValueFilter => ({
  by: one(['sub_site', 'sub_Ad', 'country', 'device', 'weekday', 'day']),
  is: one(['is', 'not', 'contains']),
  values: Array.from({ length: 1 + random(2) }, () =>
    one(['moss', 'FERN', 'fern', '', 'BE', 'phone', 'h', '1', '2026-10-25', `o'brien`]),
  ),
});
/** Sums that add up. */
const added = (all: readonly Figures[]) => ({
  visits: all.reduce((n, f) => n + f.visits, 0),
  bots: all.reduce((n, f) => n + f.bots, 0),
  // Each row converts other currencies for itself and rounds to a micro-unit.
  spent: Math.round(all.reduce((n, f) => n + Number(f.spentMicros), 0) / 100),
  conversions: all.reduce((n, f) => n + f.conversions, 0),
});
const same = (answer: NumbersAnswer): Map<string, object> =>
  new Map(
    answer.rows.map(({ values, figures: f }) => [
      JSON.stringify(values),
      {
        visits: f.visits,
        unique: f.unique,
        tests: f.tests,
        buttonClicks: f.buttonClicks,
        spent: BigInt(f.spentMicros),
      },
    ]),
  );

describe('the index', () => {
  it('answers as PostgreSQL sums, by any values, times and sub-IDs, in every zone', async () => {
    await desk.owner.put('/rates', { base: 'USD', day: '2026-01-01', rate: '0.8' });
    await desk.pool.query(
      `INSERT INTO rates (desk_id, base, day, nanos) VALUES ($1, 'USD', '2026-01-01', 800000000) ON CONFLICT DO NOTHING`,
      [desk.deskId],
    );
    await addVisits(600);
    await drained();
    await addVisits(300);
    await drained();
    const keys = [
      'campaign_id',
      'offer_id',
      'country',
      'device',
      'sub_site',
      'sub_Ad',
      'sub_ad',
      'sub_nobody',
      'day',
      'week',
      'month',
      'hour',
      'weekday',
    ];
    for (const zone of [
      'Europe/Brussels',
      'Asia/Kathmandu',
      'Australia/Lord_Howe',
      'America/St_Johns',
      'UTC',
    ]) {
      await desk.pool.query('UPDATE desks SET zone = $2 WHERE id = $1', [desk.deskId, zone]);
      for (let n = 0; n < 5; n++) {
        const by = [...new Set([one(keys), one(keys), one(keys)])].slice(0, 1 + random(3));
        const from = DateTime.fromMillis(FIRST_MS - DAY_MS + random(DAYS * DAY_MS)).toISODate()!;
        const to = DateTime.fromISO(from)
          .plus({ days: random(6) })
          .toISODate()!;
        const only = Array.from({ length: random(3) }, someFilter);
        const answer = await ask({ by, from, to, only, verdicts: random(2) === 0 });
        const expected = await byDatabase(by, from, to, zone, only);
        expect([zone, by, from, to, only, same(answer)]).toEqual([zone, by, from, to, only, expected]);
        // Rows and total are one: what is in no row is in no total.
        const sum = answer.rows.reduce((s, r) => s + r.figures.visits, 0);
        expect([answer.count, answer.total.visits]).toEqual([answer.rows.length, sum]);
      }
    }
    await desk.pool.query(`UPDATE desks SET zone = 'Europe/Brussels' WHERE id = $1`, [desk.deskId]);
    expect(await ofOwn()).toEqual([]);
  });

  it('opens a level under a value, searches, sorts with what is empty last, and pages', async () => {
    const top = await ask({ by: ['sub_site'], sort: 'roi' });
    const rois = top.rows.map((r) => r.figures.roi);
    expect(rois).toEqual([...rois].sort((a, b) => (b ?? -Infinity) - (a ?? -Infinity)));
    const [row] = (await ask({ by: ['sub_site'], search: 'FERN' })).rows;
    expect((await ask({ by: ['sub_site'], search: 'FERN' })).count).toBe(2);
    const below = await ask({
      by: ['country', 'device'],
      under: [{ by: 'sub_site', value: row!.values[0]! }],
    });
    expect(below.total.visits).toBe(row!.figures.visits);
    expect(below.rows.reduce((n, r) => n + r.figures.visits, 0)).toBe(row!.figures.visits);
    const named = await ask({ by: ['campaign_id'], sort: '', isDescending: false });
    expect(named.rows.map((r) => r.names[0])).toContain(chain.campaign.body.name);
    const page = await ask({ by: ['sub_site'], sort: '', isDescending: false, offset: 2, limit: 2 });
    const all = await ask({ by: ['sub_site'], sort: '', isDescending: false });
    expect([page.count, page.rows]).toEqual([all.count, all.rows.slice(2, 4)]);
    // The value is bound, not written into the statement.
    const odd = await ask({ by: ['country'], under: [{ by: 'sub_site', value: `o'brien` }] });
    expect(odd.total.visits).toBeGreaterThan(0);
  });

  it('sorts by each figure on each basis as its answers have it, with what is empty last', async () => {
    for (const sort of figureNames)
      for (const basis of sort.startsWith('profit') || sort.startsWith('ro')
        ? ['expected', 'all']
        : ['earned']) {
        const { rows } = await ask({ by: ['sub_site', 'country'], sort, basis });
        const values = rows.map((r) => r.figures[sort]).map((v) => (v === null ? null : Number(v)));
        const known = values.filter((v) => v !== null);
        // Amounts are sorted before they are rounded to a micro-unit.
        const steps = known.slice(1).map((v, i) => known[i]! - v);
        expect([sort, basis, steps.filter((s) => s < -1)]).toEqual([sort, basis, []]);
        expect(values.slice(known.length).every((v) => v === null)).toBe(true);
      }
  });

  it('finishes few rows in the process as it finishes many by statements', async () => {
    const { rows: bought } = await desk.pool.query<{ id: string }>(
      `SELECT id FROM visits WHERE desk_id = $1 AND campaign_id = $2 AND offer_id = $3 AND NOT is_test
       ORDER BY id LIMIT 40`,
      [desk.deskId, chain.campaign.id, chain.offer.id],
    );
    for (const [i, { id }] of bought.entries())
      await desk.say(
        chain.network.key,
        `click_id=${id}&payout=${1 + (i % 7)}.25&currency=${i % 5 === 0 ? 'USD' : 'EUR'}&transaction=few-${i}&status=${i % 3 === 0 ? 'wait' : 'ok'}`,
      );
    // Of another source, so that those of a row have to be asked for: bids at it are for a thousand visits.
    const { id: sourceId } = await desk.make('source', {
      ...chain.source.body,
      name: 'Hazelwick Ads',
      costUnit: 'thousand',
    });
    const others = Array.from({ length: 20 }, () => ({ ...someVisit(), sourceId }));
    await commitVisits(desk.pool)(others);
    await drained();
    const index = open({ path: join(folder, 'few.duckdb'), fewRows: 100_000 });
    await caughtUp(desk.pool, index, troubles);
    // Of some nothing was counted, of others nothing is old enough: a figure without a value meets no filter.
    const having = [
      [],
      [],
      [{ figure: 'spentMicros', is: '>', than: 2.5 }],
      [
        { figure: 'roi', is: '<=', than: 0.2 },
        { figure: 'visits', is: '!=', than: 3 },
      ],
      [{ figure: 'paidPerVisitMicros', is: '>=', than: 0.31735 }],
    ];
    const keys = ['sub_site', 'sub_Ad', 'country', 'day', 'hour', 'campaign_id', 'offer_id', 'extra_order'];
    for (let n = 0; n < 12; n++) {
      const from = DateTime.fromMillis(FIRST_MS + random(DAYS) * DAY_MS);
      const days = (start: number, many: number) => ({
        from: from.plus({ days: start }).toISODate(),
        to: from.plus({ days: start + many }).toISODate(),
      });
      const asked = {
        by: [...new Set([one(keys), one(keys)])].slice(0, 1 + random(2)),
        ...one([PERIOD, days(0, random(4))]),
        only: Array.from({ length: random(2) }, someFilter),
        having: one(having),
        search: one(['', '', '', 'FERN', 'b', '2']),
        // Ratios that are the same but for what is rounded have no order.
        sort: one(['visits', 'spentMicros', 'unique', 'verdict', '', 'conversions', 'bots']),
        isDescending: random(2) === 0,
        verdicts: random(2) === 0,
        onlyMature: random(2) === 0,
        dayOf: one(['visit', 'visit', 'conversion']),
        basis: one(['expected', 'earned', 'all']),
        currency: one(['', '', 'USD']),
        against: one([null, null, days(-2, 1)]),
        ...one([{}, {}, { offset: random(6), limit: 1 + random(6) }]),
      };
      const [few, many] = [await ask(asked, index), await ask(asked)];
      expect({ asked, answer: { ...few, fedAt: '' } }).toEqual({ asked, answer: { ...many, fedAt: '' } });
    }
    for (const sort of figureNames) {
      const { rows } = await ask({ by: ['sub_site', 'country'], sort }, index);
      const values = rows.map((r) => r.figures[sort]).map((v) => (v === null ? -Infinity : Number(v)));
      expect([sort, values]).toEqual([sort, [...values].sort((x, y) => y - x)]);
    }
    await index.close();
    // Conversions of today, of visits of long ago: no gathered visits, and more conversions than are few.
    const some = open({ path: join(folder, 'few.duckdb'), fewRows: 5 });
    await caughtUp(desk.pool, some, troubles);
    const today = { from: '2026-11-01', dayOf: 'conversion', by: ['sub_site', 'country'] };
    const answers = [await ask(today, some), await ask(today)].map((a) => ({ ...a, fedAt: '' }));
    expect(answers[0]!.rows.length).toBeGreaterThan(5);
    expect(answers[0]!.total.visits).toBe(0);
    expect(answers[0]).toEqual(answers[1]);
    await some.close();
  });

  it('filters rows by their figures, and keeps what it leaves out in the rest', async () => {
    const by = ['sub_site', 'country'];
    const all = await ask({ by });
    expect(all.rest).toBeNull();
    const meets = (f: Figures): boolean => Number(f.spentMicros) > 5_000_000 && f.unique <= 25;
    const having = [
      { figure: 'spentMicros', is: '>', than: 5 },
      { figure: 'unique', is: '<=', than: 25 },
    ];
    for (const sort of ['visits', '']) {
      const some = await ask({ by, having, sort });
      const wanted = all.rows.filter((r) => meets(r.figures)).map((r) => r.values);
      expect(wanted.length).toBeGreaterThan(2);
      expect(wanted.length).toBeLessThan(all.rows.length);
      expect(new Set(some.rows.map((r) => JSON.stringify(r.values)))).toEqual(
        new Set(wanted.map((v) => JSON.stringify(v))),
      );
      expect([some.count, some.total]).toEqual([wanted.length, all.total]);
      // Page by page, what is shown and the rest are the total.
      const shown: Figures[] = [];
      for (let offset = 0; offset < some.count; offset += 2) {
        const page = await ask({ by, having, sort, offset, limit: 2 });
        shown.push(...page.rows.map((r) => r.figures));
        expect(added([...shown, page.rest!])).toEqual(added([all.total]));
      }
    }
    expect(await ask({ by, having: [{ figure: 'roi', is: '>=', than: 1e9 }] })).toMatchObject({
      count: 0,
      rows: [],
      rest: { visits: all.total.visits },
    });
  });

  it('sets another period beside: the same values, and their total', async () => {
    const [now, then] = [
      { from: '2026-10-24', to: '2026-10-26' },
      { from: '2026-10-21', to: '2026-10-23' },
    ];
    const both = await ask({ by: ['sub_site', 'hour'], ...now, against: then });
    const alone = await ask({ by: ['sub_site', 'hour'], ...now });
    const before = new Map(
      (await ask({ by: ['sub_site', 'hour'], ...then })).rows.map((r) => [
        JSON.stringify(r.values),
        r.figures,
      ]),
    );
    expect(both.rows.length).toBeGreaterThan(50);
    for (const row of both.rows)
      expect(row.before!.visits).toBe(before.get(JSON.stringify(row.values))?.visits ?? 0);
    // What was there then and is gone now has a row as well.
    const keys = new Set(both.rows.map((r) => JSON.stringify(r.values)));
    const gone = [...before.keys()].filter((key) => !same(alone).has(key));
    expect(gone.length).toBeGreaterThan(0);
    for (const key of gone) expect(keys.has(key)).toBe(true);
    expect([both.total.visits, both.count]).toEqual([alone.total.visits, alone.count + gone.length]);
    expect(both.totalBefore).toEqual((await ask({ by: ['day'], ...then })).total);
  });

  it('gives verdicts on visits that are old enough, and bids in the unit in which the source bills', async () => {
    const other = await furtherDesk(desk);
    const set = await other.chain({
      source: { costUnit: 'thousand', billedPerArrived: '1250000', feePercent: '0' },
    });
    const nowMs = Date.now();
    const at = (hours: number, site: string, micros: bigint): VisitRecord => ({
      ...someVisit(),
      deskId: other.deskId,
      id: makeUlid(
        nowMs - hours * 3_600_000,
        Array.from({ length: 16 }, () => random(32)),
      ),
      atMs: nowMs - hours * 3_600_000,
      campaignId: set.campaign.id,
      sourceId: set.source.id,
      offerId: set.offer.id,
      networkId: set.network.id,
      isBot: false,
      isRepeat: false,
      isTest: false,
      costMicros: micros,
      costCurrency: 'EUR',
      subs: { site },
    });
    const many = (n: number, make: () => VisitRecord): VisitRecord[] => Array.from({ length: n }, make);
    const good = many(100, () => at(30, 'good', 100_000n));
    await commitVisits(other.pool)([
      ...many(100, () => at(30, 'bad', 250_000n)),
      // Old enough are 40 of 100: too few to cut it.
      ...many(40, () => at(40, 'young', 100_000n)),
      ...many(60, () => at(3, 'young', 400_000n)),
      ...good,
    ]);
    // 10.00 each; what is not decided counts as approved while nothing is.
    for (const { id } of good.slice(0, 6))
      await other.say(set.network.key, `click_id=${id}&payout=10&currency=EUR&transaction=${id}&status=ok`);
    await drained();
    const judge = (more: object): Promise<NumbersAnswer> =>
      kept
        .ask(
          other.deskId,
          numbersAsked.parse({
            from: DateTime.fromMillis(nowMs - 3 * DAY_MS).toISODate(),
            to: DateTime.fromMillis(nowMs + DAY_MS).toISODate(),
            by: ['sub_site'],
            only: [{ by: 'campaign_id', is: 'is', values: [set.campaign.id] }],
            verdicts: true,
            ...more,
          }),
          new AbortController().signal,
        )
        .then((a) => a!);
    const { rows, youngHours } = await judge({});
    const inTurn = async (more: object) =>
      (await judge({ sort: 'verdict', ...more })).rows.map((r) => [r.values[0], r.verdict?.kind]);
    const worstFirst = [
      ['bad', 'cut'],
      ['good', 'bid_up'],
      ['young', 'too_early'],
    ];
    expect(await inTurn({ isDescending: false })).toEqual(worstFirst);
    expect(await inTurn({ isDescending: true })).toEqual([...worstFirst].reverse());
    const paged = [0, 1, 2].map((offset) =>
      judge({ sort: 'verdict', isDescending: false, offset, limit: 1 }),
    );
    for (const [i, page] of (await Promise.all(paged)).entries()) {
      expect(page.rows.map((r) => r.values[0])).toEqual([worstFirst[i]![0]]);
      // Visits of this page, those before it, and the rest are all.
      const before = (await judge({ sort: 'verdict', isDescending: false, limit: i + 1 })).rows;
      const shown = before.reduce((sum, r) => sum + r.figures.visits, 0);
      expect(shown + (page.rest?.visits ?? 0)).toBe(page.total.visits);
    }
    // Where there are no verdicts, by cost.
    expect(await inTurn({ dayOf: 'conversion' })).toEqual([
      ['young', undefined],
      ['bad', undefined],
      ['good', undefined],
    ]);
    expect(youngHours).toEqual({ least: 24, most: 24 });
    const verdicts = Object.fromEntries(rows.map((r) => [r.values[0], r.verdict]));
    expect(verdicts.bad).toMatchObject({
      kind: 'cut',
      spentPayouts: 2.5,
      conversions: 0,
      payoutMicros: '10000000',
    });
    expect(verdicts.young).toMatchObject({ kind: 'too_early', visits: 40, spentMicros: '4000000' });
    // Earns 60 for 10: 0.60 a visit is 600 for a thousand, and the source bills 1.25 clicks for each that arrives.
    expect(verdicts.good).toMatchObject({
      kind: 'bid_up',
      breakEvenMicros: '480000000',
      bidUnit: { currency: 'EUR', visits: 1000 },
    });
  });

  it('leads to the visits behind a row: as many as it counts, by values, times and filters', async () => {
    for (let n = 0; n < 8; n++) {
      const by = [
        ...new Set([
          one(['sub_site', 'sub_Ad', 'country']),
          one(['day', 'weekday', 'hour', 'month', 'week']),
        ]),
      ];
      const only = Array.from({ length: random(2) }, someFilter);
      const period = { from: '2026-10-23', to: '2026-10-26' };
      const countOf = ({ visits, bots, repeats, tests }: Figures): number => visits + bots + repeats + tests;
      const { rows } = await ask({ by, only, ...period });
      // More than a page of them are not read here.
      const row = one(rows.filter((r) => countOf(r.figures) <= 200));
      if (!row) continue;
      const where = [...only, ...by.map((name, i) => ({ by: name, is: 'is', values: [row.values[i]!] }))];
      const query = new URLSearchParams({ ...period, where: JSON.stringify(where), limit: '200' });
      const { body } = await desk.owner.get<{ rows: unknown[]; next: string | null }>(`/visits?${query}`);
      expect([where, body.rows.length]).toEqual([where, countOf(row.figures)]);
    }
    expect((await desk.owner.get('/visits?where=[1]')).status).toBe(422);
    expect((await desk.owner.get('/conversions?where={')).status).toBe(422);
    expect((await desk.owner.get('/conversions?from=yesterday')).status).toBe(422);
  });

  it('follows what comes late: a conversion and its status, a bot that buys, a click, and erasure', async () => {
    const bot = await chain.send('clk=n1&site=late', { 'User-Agent': 'curl/8.1' });
    const person = await chain.send('clk=n2&site=late');
    const say = (query: string) => desk.say(chain.network.key, query);
    const late = async () => (await ask({ by: ['sub_site'], search: 'late' })).rows[0]!.figures;
    await drained();
    expect(await late()).toMatchObject({ visits: 1, bots: 1, conversions: 0 });
    await say(`click_id=${person}&payout=4&currency=EUR&transaction=N-1&status=wait`);
    await say(`click_id=${bot}&payout=6&currency=EUR&transaction=N-2&status=ok`);
    await drained();
    expect(await late()).toMatchObject({
      visits: 2,
      bots: 0,
      conversions: 2,
      onHoldMicros: '4000000',
      earnedMicros: '6000000',
    });
    await say(`click_id=${person}&payout=5&currency=EUR&transaction=N-1&status=ok`);
    await drained();
    expect(await late()).toMatchObject({ onHoldMicros: '0', earnedMicros: '11000000', approved: 2 });
    await desk.owner.remove(`/visits/${person}`);
    await drained();
    expect(await late()).toMatchObject({ visits: 1, earnedMicros: '6000000' });
    expect((await ask({ by: ['source_id'], from: '2026-11-01' })).total.earnedMicros).toBe('11000000');
    expect(await ofOwn()).toEqual([]);
  });

  it('comes back where it was, takes in what came meanwhile once, and keeps desks apart', async () => {
    const before = await ask({ by: ['sub_site'] });
    await kept.close();
    await addVisits(100);
    kept = open();
    // Rows keep coming while it is asked.
    for (let n = 0; n < 5; n++) await addVisits(20);
    await drained();
    expect(await ofOwn()).toEqual([]);
    const after = await ask({ by: ['sub_site'] });
    expect(after.total.visits).toBeGreaterThan(before.total.visits);
    const other = await furtherDesk(desk);
    const theirs = await kept.ask(
      other.deskId,
      numbersAsked.parse({ ...PERIOD, by: ['sub_site'] }),
      new AbortController().signal,
    );
    expect([theirs!.rows, theirs!.subs]).toEqual([[], []]);
    const nobody = await kept.ask(
      '01J00000000000000000000009',
      numbersAsked.parse({ ...PERIOD, by: ['day'] }),
      new AbortController().signal,
    );
    expect(nobody).toBeNull();
  });

  it.each<[string, () => Promise<void> | void]>([
    ['cut in half', () => truncateSync(path, Math.floor(statSync(path).size / 2))],
    ['no index at all', () => writeFileSync(path, 'a shopping list')],
    ['gone', () => rmSync(path)],
  ])('is built anew when its file is %s', async (_, damage) => {
    const before = await ask({ by: ['country', 'sub_site', 'hour'] });
    await kept.close();
    await damage();
    kept = open();
    await drained();
    expect(same(await ask({ by: ['country', 'sub_site', 'hour'] }))).toEqual(same(before));
    expect(await ofOwn()).toEqual([]);
  });

  it('is built anew when another database stands behind it, and when told to', async () => {
    await kept.close();
    kept = open();
    await drained();
    await inIndex(kept.open!, `UPDATE meta SET value = 'another/1/2/3' WHERE key = 'database'`);
    await kept.close();
    kept = open();
    await drained();
    expect(await inIndex(kept.open!, `SELECT 1 FROM meta WHERE value LIKE 'another%'`)).toEqual([]);
    const first = kept.open;
    // Fed page by page, or taken in from files: the same, to the last character.
    await addVisits(100);
    await drained();
    const fed = await stored();
    expect(fed.filter((row) => JSON.stringify(row.subs).includes('lines, ')).length).toBeGreaterThan(0);
    kept.drop();
    await until(() => Promise.resolve(kept.open !== null && kept.open !== first), 'the new index');
    await drained();
    expect(await stored()).toEqual(fed);
    expect(await ofOwn()).toEqual([]);
  });

  it('counts conversions by their own day when asked to, and gives no verdicts then', async () => {
    const id = await chain.send('clk=n9&site=other-day');
    await desk.say(chain.network.key, `click_id=${id}&payout=7&currency=EUR&transaction=N-9&status=ok`);
    await desk.pool.query(
      `UPDATE conversions SET converted_at = visit_at + interval '3 days' WHERE desk_id = $1 AND click_id = $2`,
      [desk.deskId, id],
    );
    kept.drop();
    await until(() => Promise.resolve(kept.state.state === 'building'), 'the rebuild to begin');
    await drained();
    const of = async (dayOf: string) => {
      const only = [{ by: 'sub_site', is: 'is', values: ['other-day'] }];
      const { rows } = await ask({
        by: ['day'],
        to: PERIOD.to,
        only,
        dayOf,
        verdicts: true,
        sort: '',
        isDescending: false,
      });
      return rows.map((r) => [r.figures.visits, r.figures.earnedMicros, r.verdict === null]);
    };
    expect(await of('visit')).toEqual([[1, '7000000', false]]);
    // The list behind a row counts by the same day.
    const listed = async (dayOf: string, daysLater: number): Promise<number> => {
      const at = DateTime.now().setZone('Europe/Brussels').plus({ days: daysLater }).toISODate()!;
      const where = JSON.stringify([{ by: 'sub_site', is: 'contains', values: ['OTHER-D'] }]);
      const query = new URLSearchParams({ from: at, to: at, dayOf, where });
      return (await desk.owner.get<{ rows: unknown[] }>(`/conversions?${query}`)).body.rows.length;
    };
    expect([await listed('visit', 0), await listed('conversion', 0)]).toEqual([1, 0]);
    expect([await listed('visit', 3), await listed('conversion', 3)]).toEqual([0, 1]);
    expect(await of('conversion')).toEqual([
      [1, '0', true],
      [0, '7000000', true],
    ]);
  });

  it('stops a question in the middle of a statement', async () => {
    await kept.close();
    kept = open({ questionMs: 60 });
    await drained();
    const { visits } = kept.open!.tablesOf(desk.deskId)!;
    const times = Math.ceil(250_000 / (await inIndex(kept.open!, `SELECT 1 FROM ${visits}`)).length);
    // Grouped by what nearly every row has of its own, one statement takes a second.
    await inIndex(
      kept.open!,
      `INSERT INTO ${visits} SELECT v.* REPLACE (hash(n, v.id_c)::VARCHAR AS referrer_host) FROM ${visits} v, range(${times}) AS r (n)`,
    );
    await expect(ask({ by: ['referrer_host', 'country'] })).rejects.toBeInstanceOf(QuestionTooLong);
    await inIndex(kept.open!, `DELETE FROM ${visits} WHERE referrer_host <> ''`);
    // On a busy machine the next one may take longer than that.
    await kept.close();
    kept = open();
    await drained();
    expect((await ask({ by: ['country'] })).rows.length).toBeGreaterThan(0);
  });

  it('has room for 200 sub-IDs of a desk, and says when there are more', async () => {
    const other = await furtherDesk(desk);
    const named = (from: number, to: number): VisitRecord => ({
      ...someVisit(),
      deskId: other.deskId,
      isTest: false,
      subs: Object.fromEntries(Array.from({ length: to - from }, (_, i) => [`n${from + i}`, 'x'])),
    });
    const answer = async () => {
      await drained();
      const asked = numbersAsked.parse({ ...PERIOD, by: ['sub_n250'] });
      return (await kept.ask(other.deskId, asked, new AbortController().signal))!;
    };
    await commitVisits(other.pool)([named(0, 150)]);
    expect(await answer()).toMatchObject({ hasMoreSubs: false });
    await commitVisits(other.pool)([named(150, 260)]);
    const more = await answer();
    expect([more.hasMoreSubs, more.subs.length]).toEqual([true, 200]);
    expect(more.rows.map((r) => r.values)).toEqual([['']]);
    await kept.close();
    kept = open();
    expect((await answer()).hasMoreSubs).toBe(true);
  });

  it('is compared at night; what differs for good is logged and built anew', async () => {
    const said: string[] = [];
    const log = {
      info: (_: object, words: string) => void said.push(words),
      error: (_: object, words: string) => void said.push(words),
    };
    let day = 0;
    const check = startNightlyCheck({
      pool: desk.pool,
      open: () => kept.open,
      drop: () => kept.drop(),
      log,
      now: () => Date.now() + day * 3 * DAY_MS,
      lookEveryMs: 20,
    });
    await drained();
    day = 1;
    await until(() => Promise.resolve(said.length > 0), 'the first night');
    expect(said[0]).toBe('the numbers index agrees with the database');
    const damaged = kept.open!;
    await inIndex(
      damaged,
      `UPDATE ${damaged.tablesOf(desk.deskId)!.visits} SET cost_micros = cost_micros + 1`,
    );
    day = 2;
    await until(() => Promise.resolve(kept.open !== null && kept.open !== damaged), 'the new index');
    expect(said).toContain('the numbers index differs from the database; it is built anew');
    await check.close();
    await drained();
    expect(await ofOwn()).toEqual([]);
  });

  it('stops a question that nobody waits for, and one that takes too long', async () => {
    const gone = new AbortController();
    gone.abort();
    const by = ['sub_site', 'country', 'hour'];
    const asked = numbersAsked.parse({ ...PERIOD, by });
    await expect(kept.ask(desk.deskId, asked, gone.signal)).rejects.toThrow(/abort/);
    await kept.close();
    kept = open({ questionMs: 0 });
    await drained();
    await expect(ask({ by })).rejects.toBeInstanceOf(QuestionTooLong);
  });
});
