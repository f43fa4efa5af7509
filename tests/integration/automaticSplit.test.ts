/** An automatic split: what it learns from real visits and conversions, and that visitors then go by it. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import type { PartRecord, RunningConfiguration, SplitOddsRow } from '@tracheon/core/contract';
import { automaticOdds } from '@tracheon/core/routing';
import { computeOdds } from '../../server/odds/computeOdds.ts';
import { drawAll } from '../../server/odds/drawAll.ts';
import { drawApart } from '../../server/odds/drawApart.ts';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain({ offer: { link: 'https://box.example/' } });
  const kite = await desk.make('offer', {
    ...chain.offer.body,
    name: 'Kite kit',
    link: 'https://kite.example/',
  });
  const path = `/parts/campaign/${chain.campaign.id}`;
  const { body } = await desk.owner.get<PartRecord<'campaign'>>(path);
  const pairings = [
    { id: 'box', offerIds: [chain.offer.id] },
    { id: 'kite', offerIds: [kite.id] },
    { id: 'off', offerIds: [kite.id], isOn: false },
  ];
  await desk.owner.put(path, {
    version: body.version,
    body: { ...body.body, routing: { branches: [], otherwise: { split: 'automatic', pairings } } },
  });
  await until(
    async () => (await desk.owner.get<RunningConfiguration>('/configuration')).body.isLive,
    'the routing to be live',
  );
});
afterAll(() => desk.close());

const compute = (now = Date.now): Promise<number> =>
  computeOdds(
    desk.pool,
    (splits) => Promise.resolve(drawAll(splits, () => performance.now())),
    now,
    desk.deskId,
  );
const odds = async (): Promise<SplitOddsRow> =>
  (await desk.owner.get<SplitOddsRow[]>(`/campaigns/${chain.campaign.id}/odds`)).body[0]!;
/** The hosts that so many new visitors are sent to. */
async function send(n: number): Promise<{ host: string; id: string }[]> {
  const sent: { host: string; id: string }[] = [];
  for (let i = 0; i < n; i++) {
    const res = await desk.visit(`/v/${chain.campaign.key}?clk=${Math.random()}`);
    const { host, searchParams } = new URL(res.headers.get('location')!);
    sent.push({ host, id: searchParams.get('aff_ref')! });
  }
  return sent;
}

it('is even at first, learns which pairing earns most, and sends the visitors there', async () => {
  const visits = await send(320);
  const of = (host: string): string[] => visits.filter((v) => v.host === host).map((v) => v.id);
  expect(of('box.example').length).toBeGreaterThan(110);
  expect(of('kite.example').length).toBeGreaterThan(110);
  await until(async () => {
    const { rows } = await desk.pool.query<{ n: number }>(
      'SELECT count(*)::int AS n FROM visits WHERE desk_id = $1',
      [desk.deskId],
    );
    return rows[0]!.n === visits.length;
  }, 'all visits to be stored');
  // Of this hour: hardly any of their conversions can have come, so nothing is concluded.
  await compute();
  expect(await odds()).toMatchObject({
    wayId: 'otherwise',
    state: 'warm_up',
    arms: [
      { pairingId: 'box', odds: 0.5, chanceOfBest: null },
      { pairingId: 'kite', odds: 0.5 },
    ],
  });
  expect((await odds()).arms[0]!.visits).toBeLessThan(0.1 * of('box.example').length);

  // The same number of conversions, but the kite pays three times as much; one more is only on hold.
  const tell = (id: string, more: string) => desk.say(chain.network.key, `click_id=${id}&${more}`);
  for (const id of of('box.example').slice(0, 12)) await tell(id, 'payout=6&status=ok');
  for (const id of of('kite.example').slice(0, 12)) await tell(id, 'payout=18&status=ok');
  await tell(of('kite.example')[20]!, 'payout=18&status=wait');
  await tell(of('kite.example')[21]!, 'payout=500&status=no');
  // A week later.
  await desk.pool.query(`UPDATE visits SET at = at - interval '8 days' WHERE desk_id = $1`, [desk.deskId]);
  await compute();
  const learned = await odds();
  const [box, kite] = learned.arms;
  expect(learned.state).toBe('learned');
  expect([box, kite]).toMatchObject([
    { visits: expect.closeTo(of('box.example').length, -1), conversions: 12, expectedMicros: 72_000_000 },
    // What was rejected is no conversion; nothing of what is on hold was decided against, but for one in fourteen.
    { conversions: 13 },
  ]);
  expect(kite!.expectedMicros).toBeGreaterThan(12 * 18_000_000);
  expect(kite!.odds).toBeGreaterThan(0.9);
  expect(box!.odds).toBeGreaterThanOrEqual(0.02);

  // Nothing new: nothing is computed again.
  await compute();
  expect((await odds()).computedAt).toBe(learned.computedAt);
  // Every process reads them within seconds.
  await until(async () => {
    const hosts = (await send(60)).map((v) => v.host);
    return hosts.filter((host) => host === 'kite.example').length >= 50;
  }, 'visitors to go by the odds');

  // A process that read an hour ago and is slow replaces nothing.
  await tell(of('box.example')[15]!, 'payout=6&status=ok');
  expect(await compute(() => Date.parse(learned.computedAt) - 3_600_000)).toBeGreaterThan(0);
  // (The server's own job may have come in between, with what it read now.)
  expect(Date.parse((await odds()).computedAt)).toBeGreaterThanOrEqual(Date.parse(learned.computedAt));
  await compute();
  expect((await odds()).arms[0]!.conversions).toBe(13);
});

it('odds of another desk’s campaign, or of none, are not found', async () => {
  const other = await makeDesk();
  expect((await other.owner.get(`/campaigns/${chain.campaign.id}/odds`)).status).toBe(404);
  await other.close();
  expect((await desk.owner.get(`/campaigns/${chain.offer.id}/odds`)).status).toBe(404);
});

it('the draws run in a process of their own, and come to the same odds', async () => {
  const arms = [
    { pairingId: 'a', visits: 900, conversions: 30, expectedMicros: 300_000_000 },
    { pairingId: 'b', visits: 800, conversions: 20, expectedMicros: 260_000_000 },
  ];
  const [apart] = await drawApart([{ arms, seed: 5 }]);
  expect(apart).toEqual(automaticOdds(arms, 5, apart!.draws));
  // Too little time: fewer draws, and the answer says how many.
  const slow = { spent: 0 };
  const [few] = drawAll([{ arms, seed: 5 }], () => (slow.spent += 1000), 3000);
  expect(few!.draws).toBeLessThan(10_000);
  expect(few!.draws).toBeGreaterThanOrEqual(500);
  // A split that draws nothing yet does not hide how long the others take.
  const cold = { arms: arms.map((a) => ({ ...a, visits: 1 })), seed: 5 };
  const [warming, learned] = drawAll([cold, { arms, seed: 5 }], () => (slow.spent += 1000), 3000);
  expect([warming!.state, learned!.draws]).toEqual(['warm_up', few!.draws]);
  expect(drawAll([], () => 0)).toEqual([]);
  // A process that dies is no answer, and nobody waits for it.
  await expect(drawApart([{ arms: null as never, seed: 5 }])).rejects.toThrow('the draws ended with 1');
});
