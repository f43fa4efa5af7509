/** Rows that the database will never take: put aside whole, without costing their neighbours anything. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { until, type Chain } from './testDesk.ts';

let desk: OwnDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await openOwnServer({}, { canBeCut: true });
  chain = await desk.chain();
  // Stands for whatever a future row may run into.
  await desk.pool.query(`ALTER TABLE visits ADD CONSTRAINT refuses CHECK (source_click_id <> 'refused')`);
});
afterAll(() => desk.close());

const stored = async (): Promise<string[]> => (await desk.visits()).map((v) => v.sourceClickId);

it('a refused row stands alone in the quarantine; what came with it in the batch is stored', async () => {
  const ids = await Promise.all(
    ['a', 'b', 'refused', 'c', 'd'].map((clk) => chain.send(`clk=${clk}&bid=0.5`)),
  );
  await until(async () => (await stored()).length === 4, 'the neighbours');
  expect((await stored()).sort()).toEqual(['a', 'b', 'c', 'd']);
  const aside = async () =>
    (await desk.pool.query('SELECT kind, id, desk_id, why, row FROM quarantine')).rows;
  await until(async () => (await aside()).length === 1, 'the quarantine');
  expect((await aside())[0]).toMatchObject({
    kind: 'visit',
    id: ids[2],
    desk_id: desk.deskId,
    why: expect.stringContaining('refuses'),
    row: { sourceClickId: 'refused', costMicros: '500000', campaignId: chain.campaign.id },
  });
  const { body } = await desk.owner.get<{ code: string; count: number }[]>('/attention');
  expect(body).toContainEqual(expect.objectContaining({ code: 'quarantined_rows', count: 1 }));
});

it('also when it comes out of the spool', async () => {
  await desk.database.relay.cut();
  for (const clk of ['e', 'refused', 'f']) await chain.send(`clk=${clk}`);
  await desk.database.relay.open();
  await until(async () => (await stored()).includes('f'), 'the spool to be loaded');
  expect((await stored()).sort()).toEqual(['a', 'b', 'c', 'd', 'e', 'f']);
  expect((await desk.pool.query(`SELECT count(*)::int AS n FROM quarantine`)).rows).toEqual([{ n: 2 }]);
});
