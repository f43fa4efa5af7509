/** Sums that the numbers process keeps from one question to the next change no answer, whatever is written meanwhile. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { numbersAsked, type CostLoad, type PartRecord } from '@tracheon/core/contract';
import { makeUlid } from '@tracheon/core/identity';
import { unknownVisit } from '@tracheon/core/visits';
import { commitClicks, commitVisits } from '../../server/events/commitRows.ts';
import type { VisitRecord } from '../../server/events/rows.ts';
import type { KeptIndex } from '../../server/numbers/keptIndex.ts';
import type { KeptSumsSettings } from '../../server/numbers/keptSums.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import type { Chain } from './testDesk.ts';
import { caughtUp, earlierAreOver, openIndex } from './testIndex.ts';

const DAY_MS = 86_400_000;
const FIRST_MS = Date.UTC(2026, 8, 10);
const DAYS = 8;
const LATE = [5, 1];
const folder = mkdtempSync(join(tmpdir(), 'tracheon-kept-sums-'));
const troubles: string[] = [];
// Indexes of a database of its own: those of the shared one would take in what all other files write.
let desk: OwnDesk;
let chain: Chain;
let second: PartRecord<'source'>;
const open = (name: string, keptSums: KeptSumsSettings, fewRows?: number): KeptIndex =>
  openIndex(desk.pool, join(folder, `${name}.duckdb`), troubles, {
    keptSums,
    ...(fewRows === undefined ? {} : { fewRows }),
  });
beforeAll(async () => {
  desk = await openOwnServer();
  chain = await desk.chain();
  // Bids at it are for a thousand visits: a verdict tells of which source a row is.
  second = await desk.make('source', {
    ...chain.source.body,
    name: 'Hazelwick Ads',
    costUnit: 'thousand',
  });
});
afterAll(async () => {
  await desk.close();
  rmSync(folder, { recursive: true, force: true });
});

/** A generator of its own, so that a failure can be run again. */
let seed = 20_261_129;
const random = (below: number): number => {
  seed = (seed * 1_103_515_245 + 12_345) % 2_147_483_648;
  return Math.floor((seed / 2_147_483_648) * below);
};
const one = <T>(all: readonly T[]): T => all[random(all.length)]!;

const visits: VisitRecord[] = [];
async function addVisits(count: number, fromDay: number): Promise<void> {
  const made = Array.from({ length: count }, () => {
    const atMs = FIRST_MS + fromDay * DAY_MS + random((DAYS - fromDay) * DAY_MS);
    const id = makeUlid(
      atMs,
      Array.from({ length: 16 }, () => random(32)),
    );
    const site = one(['moss', 'fern', 'reed', 'sedge']);
    return {
      ...unknownVisit,
      deskId: desk.deskId,
      id,
      atMs,
      campaignId: chain.campaign.id,
      campaignVersion: 1,
      sourceId: site === 'sedge' ? second.id : one([chain.source.id, chain.source.id, second.id]),
      offerId: chain.offer.id,
      networkId: chain.network.id,
      landingId: one(['', '01J00000000000000000000002']),
      country: one(['BE', 'NL', 'DE']),
      isBot: random(9) === 0,
      costMicros: one([null, 5000n, 12_345n]),
      costCurrency: one(['EUR', 'EUR', 'USD']),
      subs: { site },
      address: '',
      userAgent: '',
    } as VisitRecord;
  });
  visits.push(...made);
  await commitVisits(desk.pool)(made);
}
/** Within the day and the one after. */
const visitOf = (day: number, is: (v: VisitRecord) => boolean): VisitRecord =>
  one(
    visits.filter(
      (v) => v.atMs >= FIRST_MS + day * DAY_MS && v.atMs < FIRST_MS + (day + 2) * DAY_MS && is(v),
    ),
  );
const dayOf = (n: number): string => new Date(FIRST_MS + n * DAY_MS).toISOString().slice(0, 10);
const clicked = new Set<string>();
const loads: string[] = [];

/** What comes late, of a day. */
const changes: ((fromDay: number) => Promise<unknown>)[] = [
  (from) => addVisits(3, from),
  async (from) => {
    const v = visitOf(from, (one) => one.landingId !== '' && !clicked.has(one.id));
    clicked.add(v.id);
    await commitClicks(desk.pool)([
      {
        deskId: v.deskId,
        id: makeUlid(v.atMs + 1000, Array(16).fill(random(32))),
        atMs: v.atMs + 1000,
        visitId: v.id,
        n: 1,
        landingId: v.landingId,
        offerId: v.offerId,
        told: '',
        match: 'link' as const,
      },
    ]);
  },
  async (from) => {
    // Of a bot, it is none any more.
    const v = visitOf(from, (one) => one.isBot);
    await desk.say(chain.network.key, `click_id=${v.id}&payout=3&currency=EUR&transaction=${v.id}&status=ok`);
  },
  async (from) => {
    await desk.owner.remove(`/visits/${visitOf(from, () => true).id}`);
  },
  async (from) => {
    const { body } = await desk.owner.post<CostLoad>('/costs', {
      sourceId: chain.source.id,
      from: dayOf(from),
      to: dayOf(DAYS - 1),
      amountMicros: String(1_000_000 + random(1_000_000)),
      subs: random(2) ? [{ name: 'site', value: one(['moss', 'nobody']) }] : [],
    });
    loads.push(body.id);
  },
  () => desk.owner.post(`/costs/${loads.pop()}/undo`, {}),
];

const someQuestion = () => {
  const first = random(DAYS - 2);
  const keys = ['sub_site', 'country', 'day', 'hour', 'campaign_id', 'landing_id'];
  return numbersAsked.parse({
    by: [...new Set([one(keys), one(keys)])],
    from: dayOf(first),
    to: dayOf(first + 2 + random(DAYS)),
    against: random(3) === 0 ? { from: dayOf(first - 3), to: dayOf(first - 1) } : null,
    // As watches ask, whose hours move on with the time.
    between:
      random(3) === 0
        ? { fromMs: FIRST_MS + random(2 * DAY_MS), toMs: FIRST_MS + 4 * DAY_MS + random(4 * DAY_MS) }
        : null,
    only: random(3) === 0 ? [{ by: 'country', is: one(['is', 'not']), values: ['BE'] }] : [],
    sort: one(['', 'visits', 'spentMicros', 'roi']),
    verdicts: random(2) === 0,
    limit: 500,
  });
};

it('are as gathered anew: while visits, clicks, costs, erasure and conversions keep coming, of any day', async () => {
  await desk.owner.put('/rates', { base: 'USD', day: '2026-01-01', rate: '0.8' });
  await addVisits(400, 0);
  // What is taken in once more counts as written lately, from the first day on.
  await earlierAreOver(desk.pool);
  const gathered = open('gathered', { leastVisits: Infinity, quietMs: 0 });
  // One keeps everything up to now, the other all before what was written lately.
  const keeping = [
    open('kept', { leastVisits: 1, quietMs: 0 }),
    open('quiet', { leastVisits: 1, quietMs: 3_600_000 }, 0),
  ];
  const all = [gathered, ...keeping];
  const whole = { from: dayOf(0), to: dayOf(DAYS), limit: 500 };
  const always = [
    numbersAsked.parse({ ...whole, by: ['sub_site'] }),
    numbersAsked.parse({ ...whole, by: ['day', 'country'], verdicts: true }),
    someQuestion(),
  ];
  try {
    // The later days first: sums of all before them are kept until the earlier ones change.
    for (const change of [null, ...LATE.flatMap((day) => changes.map((of) => () => of(day)))]) {
      await change?.();
      for (const index of all) await caughtUp(desk.pool, index, troubles);
      // Some are asked again and again, as an open screen does: whatever is stale would be in an answer.
      for (const asked of [...always, someQuestion()]) {
        const ask = async (index: KeptIndex) => ({
          ...(await index.ask(desk.deskId, asked, new AbortController().signal))!,
          fedAt: '',
        });
        const expected = await ask(gathered);
        expect(expected.total.visits).toBeGreaterThan(0);
        for (const index of keeping) expect([asked, await ask(index)]).toEqual([asked, expected]);
      }
    }
    expect(troubles).toEqual([]);
    expect(gathered.open!.keptSums.used).toBe(0);
    for (const index of keeping) expect(index.open!.keptSums.used).toBeGreaterThan(15);
  } finally {
    for (const index of all) await index.close();
  }
});
