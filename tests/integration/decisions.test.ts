/** How conversions were decided, and how long it took: by offer, source and network, by week in the network's zone. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { DecisionsReport, Problem } from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import type { Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
const HOUR = 3_600_000;
/** A Wednesday some weeks ago, at noon. */
const wednesday = (): number => {
  const now = new Date();
  now.setUTCHours(12, 0, 0, 0);
  return now.getTime() - (14 + ((now.getUTCDay() + 4) % 7)) * 24 * HOUR;
};
const W = wednesday();
const time = (ms: number): string => new Date(ms).toISOString();
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain({ network: { zone: 'Asia/Tokyo' } });
  const say = async (id: string, at: number, rest: string): Promise<void> => {
    const { outcome } = await desk.say(chain.network.key, `${id}&conversion_time=${time(at)}&${rest}`);
    expect(['accepted', 'updated']).toContain(outcome);
  };
  // Each is decided some hours after it: 10, 20 and 60.
  for (const [i, [status, hours]] of (
    [
      ['ok', 10],
      ['ok', 20],
      ['no', 60],
    ] as const
  ).entries()) {
    const id = `click_id=${await chain.send()}&transaction=D${i}`;
    await say(id, W, 'payout=5&status=wait');
    await say(id, W, `status=${status}&changed_time=${time(W + hours * HOUR)}`);
  }
  // Approved at once, and taken back; and one that is not decided, which in Tokyo is of the next week.
  const back = `click_id=${await chain.send()}&transaction=D3`;
  await say(back, W, 'payout=5&status=ok');
  await say(back, W, 'status=back');
  await say(
    `click_id=${await chain.send()}&transaction=D4`,
    W + 4 * 24 * HOUR + 4 * HOUR,
    'payout=5&status=wait',
  );
});
afterAll(() => desk.close());

const report = async (by: string, from: number, to: number): Promise<DecisionsReport> =>
  (
    await desk.owner.get<DecisionsReport>(
      `/reports/decisions?by=${by}&from=${time(from).slice(0, 10)}&to=${time(to).slice(0, 10)}`,
    )
  ).body;

describe('how conversions were decided', () => {
  it('is counted by offer, source and network, with the median time to the decision of those that waited', async () => {
    for (const [by, name] of [
      ['offer', chain.offer.body.name],
      ['source', chain.source.body.name],
      ['network', chain.network.body.name],
    ] as const) {
      const { rows } = await report(by, W - 7 * 24 * HOUR, W + 7 * 24 * HOUR);
      expect(rows).toHaveLength(1);
      expect(rows[0]).toMatchObject({
        name,
        conversions: 5,
        approved: 2,
        rejected: 1,
        reversed: 1,
        pending: 1,
        hoursToDecide: 20,
      });
    }
  });

  it('is told by week, with the days of the network’s zone', async () => {
    const [row] = (await report('offer', W - 7 * 24 * HOUR, W + 7 * 24 * HOUR)).rows;
    const monday = time(W - 2 * 24 * HOUR).slice(0, 10);
    expect(row!.weeks.map((w) => [w.week, w.conversions, w.pending])).toEqual([
      [monday, 4, 0],
      [time(W + 5 * 24 * HOUR).slice(0, 10), 1, 1],
    ]);
  });

  it('leaves out other days, and refuses what is no period', async () => {
    expect((await report('offer', W - 20 * 24 * HOUR, W - 10 * 24 * HOUR)).rows).toEqual([]);
    const { status, body } = await desk.owner.get<Problem>(
      '/reports/decisions?from=2026-02-02&to=2026-01-01',
    );
    expect([status, body.code]).toEqual([422, 'invalid_input']);
  });
});
