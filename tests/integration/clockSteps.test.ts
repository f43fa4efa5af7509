/** A clock that is set ahead or back: visits, clicks and postbacks are found by their IDs all the same. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { clickIdDay, clickIdTime } from '@tracheon/core/identity';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { until, type Chain } from './testDesk.ts';

const DAY_MS = 86_400_000;
const RealDate = Date;
let desk: OwnDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await openOwnServer();
  chain = await desk.chain();
});
afterAll(() => {
  globalThis.Date = RealDate;
  return desk.close();
});

/** Only the clock is another one, and stands; timers go on. */
function setClock(ms: number): void {
  globalThis.Date = class extends RealDate {
    constructor(...parts: unknown[]) {
      super(...((parts.length > 0 ? parts : [ms]) as [number]));
    }
    static override now = (): number => ms;
  } as DateConstructor;
}

it('finds what was recorded before, during and after a step of the clock, and loses nothing', async () => {
  const real = RealDate.now();
  const sent: { id: string; at: number }[] = [];
  // Ahead by far more than the partitions that are made ahead, back again, back by a month, and right.
  for (const [n, shift] of [0, 20, 0, -30, 0].entries()) {
    setClock(real + shift * DAY_MS);
    sent.push({ id: await chain.send(`clk=c${n}`), at: real + shift * DAY_MS });
  }
  for (const { id, at } of sent) {
    expect(Math.abs(clickIdTime(id) - at)).toBeLessThan(1000);
    const { rows } = await desk.pool.query(
      `SELECT day::text, (extract(epoch FROM at) * 1000)::float8 AS ms FROM visits WHERE desk_id = $1 AND id = $2`,
      [desk.deskId, id],
    );
    expect(rows).toEqual([{ day: clickIdDay(id), ms: expect.closeTo(at, -4) }]);
    // Read by its ID, from the one partition.
    expect((await desk.owner.get(`/visits/${id}`)).status).toBe(200);
    expect(await desk.say(chain.network.key, `click_id=${id}&payout=1`)).toMatchObject({
      outcome: 'accepted',
    });
  }
  expect((await desk.pool.query('SELECT * FROM quarantine')).rows).toEqual([]);
});

it('takes postbacks over a step of the clock, in both directions', async () => {
  globalThis.Date = RealDate;
  const real = RealDate.now();
  const id = await chain.send('clk=p');
  for (const [n, shift] of [40, 0, -3, 0].entries()) {
    setClock(real + shift * DAY_MS);
    const said = await desk.call(chain.network.key, `click_id=${id}&payout=1&transaction=t${n}`);
    expect(said.status).toBe(200);
  }
  globalThis.Date = RealDate;
  const stored = async () =>
    (await desk.pool.query('SELECT id, day::text FROM receipts WHERE desk_id = $1', [desk.deskId])).rows as {
      id: string;
      day: string;
    }[];
  await until(async () => (await stored()).length >= 4, 'the postbacks');
  for (const r of await stored()) expect(r.day).toBe(clickIdDay(r.id));
});
