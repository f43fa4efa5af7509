/** The database gone and back again, as the visitor, the network and the member live it. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import type { Problem } from '@tracheon/core/contract';
import { openTestDesk, until, type Chain, type TestDesk } from './testDesk.ts';

let desk: TestDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await openTestDesk();
  chain = await desk.chain();
  await chain.send('clk=before');
  await desk.database.relay.cut();
});
afterAll(() => desk.close());

it('visitors go on to the offer all the same', async () => {
  const res = await desk.visit(`/v/${chain.campaign.key}?clk=away`);
  expect([res.status, res.headers.get('location')?.startsWith('https://go.larkspur.example/')]).toEqual([
    302,
    true,
  ]);
});

it('a call in is not kept, and is told so: nothing that was not kept is answered 200', async () => {
  const res = await fetch(`${desk.tracking}/in/${chain.network.key}?payout=5`);
  expect([res.status, res.headers.get('retry-after'), res.headers.get('tracheon-error')]).toEqual([
    503,
    '30',
    'not_kept',
  ]);
});

it('the desk says in words that the database does not answer', async () => {
  const res = await desk.owner.get<Problem>('/parts');
  expect([res.status, res.body.code, res.headers.get('retry-after')]).toEqual([503, 'database_away', '5']);
});

it('and all of it goes on by itself once the database is back', async () => {
  await desk.database.relay.open();
  await until(async () => (await desk.owner.get('/parts')).status === 200, 'the desk', 10_000);
  const click = await chain.send('clk=after');
  await until(async () => (await desk.visits()).some((v) => v.id === click), 'the visit');
  expect((await desk.say(chain.network.key, `click_id=${click}&payout=5`)).outcome).toBe('accepted');
  const attention = await desk.owner.get<{ code: string; count: number }[]>('/attention');
  expect(attention.body).toContainEqual(expect.objectContaining({ code: 'unrecorded_visits', count: 1 }));
  // Changes are heard of again, too.
  await desk.owner.put(`/parts/campaign/${chain.campaign.id}/state`, { state: 'stopped' });
  await until(
    async () => (await desk.visit(`/v/${chain.campaign.key}`)).status === 404,
    'the stop to be live',
  );
});
