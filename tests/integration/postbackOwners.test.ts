/** Whose conversion a postback means: without a click ID, with an event, from another network, before its time. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { clickIdDay } from '@tracheon/core/identity';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain();
});
afterAll(() => desk.close());

const say = (query: string, init?: RequestInit) => desk.say(chain.network.key, query, init);
const bookedOf = async (clickId: string) => (await desk.booked()).filter((c) => c.clickId === clickId);

describe('a postback with a transaction alone', () => {
  it('that comes before the one with the click ID is applied when that one comes', async () => {
    const id = await chain.send();
    expect(await say('transaction=EARLY-1&status=ok&payout=8')).toMatchObject({ outcome: 'repair' });
    await say(`click_id=${id}&transaction=EARLY-1&payout=8&status=wait`);
    // In the order of their arrival the approval came first, so *pending* is an old message and changes nothing.
    const stands = async () => (await bookedOf(id)).map((c) => [c.status, c.payoutMicros].join(' '));
    await until(
      async () => (await stands()).join() === 'approved 8000000',
      'the early approval to be applied',
    );
    const early = (await desk.postbacksIn()).find((p) => p.rawQuery.startsWith('transaction=EARLY-1'))!;
    expect(early.outcome).not.toBe('repair');
  });

  it('that comes before the conversion without one learns its transaction is applied then', async () => {
    const id = await chain.send();
    await say(`click_id=${id}&payout=8`);
    expect(await say('transaction=ADOPTED-1&status=back')).toMatchObject({ outcome: 'repair' });
    await say(`click_id=${id}&transaction=ADOPTED-1&payout=8`);
    const stands = async () => (await bookedOf(id)).map((c) => [c.transaction, c.status].join(' '));
    await until(async () => (await stands()).join() === 'ADOPTED-1 reversed', 'the reversal to be applied');
  });

  it('and an event means the conversion of that event, though another of the visit has the transaction too', async () => {
    const upsell = await desk.make('event-type', { name: 'Upsell', word: 'upsell', repeats: false });
    const id = await chain.send();
    await say(`click_id=${id}&transaction=BOTH&payout=8`);
    await say(`click_id=${id}&transaction=BOTH&payout=3&event=upsell&status=wait`);
    expect(await say('transaction=BOTH&event=upsell&status=ok')).toMatchObject({ outcome: 'updated' });
    const rows = (await bookedOf(id)).map((c) => [c.eventName, c.status, c.payoutMicros]);
    expect(rows.sort()).toEqual([
      ['Sale', 'approved', '8000000'],
      [upsell.body.name, 'approved', '3000000'],
    ]);
  });
});

it('without a transaction, where the visit has several conversions, is kept for repair', async () => {
  const id = await chain.send();
  await say(`click_id=${id}&transaction=S-1&payout=5`);
  await say(`click_id=${id}&transaction=S-2&payout=6`);
  expect(await say(`click_id=${id}&status=back`)).toMatchObject({
    outcome: 'repair',
    reason: expect.stringContaining('several conversions'),
  });
  expect((await bookedOf(id)).map((c) => c.status)).toEqual(['approved', 'approved']);
});

it('without a transaction, where the visit has one conversion with one, is about that one', async () => {
  const id = await chain.send();
  await say(`click_id=${id}&transaction=ONLY&payout=5`);
  expect(await say(`click_id=${id}&status=back`)).toMatchObject({ outcome: 'updated' });
  expect((await bookedOf(id)).map((c) => [c.transaction, c.status])).toEqual([['ONLY', 'reversed']]);
});

it('with the key of another network changes nothing, and says whose the visit is', async () => {
  const other = await desk.chain();
  const id = await chain.send();
  const said = await desk.say(other.network.key, `click_id=${id}&payout=500&transaction=X`);
  expect(said).toMatchObject({ outcome: 'repair' });
  expect(said.reason).toContain(chain.network.body.name);
  expect(await bookedOf(id)).toEqual([]);
});

it('of an event type that was archived since is booked all the same', async () => {
  const trial = await desk.make('event-type', { name: 'Trial', word: 'trial', repeats: false });
  const id = await chain.send();
  await desk.owner.put(`/parts/event-type/${trial.id}/state`, { state: 'archived' });
  expect(await say(`click_id=${id}&event=trial&payout=2`)).toMatchObject({ outcome: 'accepted' });
  expect((await bookedOf(id)).map((c) => c.eventName)).toEqual(['Trial']);
});

describe('what is told and not counted', () => {
  it('an amount told with a reversal stays on the conversion', async () => {
    const id = await chain.send();
    await say(`click_id=${id}&transaction=NOTED&payout=9`);
    await say(`click_id=${id}&transaction=NOTED&payout=4&status=back`);
    expect(await bookedOf(id)).toMatchObject([
      { payoutMicros: '9000000', notedMicros: '4000000', notedCurrency: 'EUR' },
    ]);
  });

  it('a sum that would be too large is kept for repair; what stood stays', async () => {
    const c = await desk.chain({ network: { payoutMeans: 'difference' } });
    const id = await c.send();
    const most = '999999999999';
    await desk.say(c.network.key, `click_id=${id}&transaction=BIG&payout=${most}`);
    expect(await desk.say(c.network.key, `click_id=${id}&transaction=BIG&payout=2`)).toMatchObject({
      outcome: 'repair',
      reason: expect.stringContaining('too large'),
    });
    expect((await bookedOf(id)).map((b) => b.payoutMicros)).toEqual([`${most}000000`]);
  });

  it('a conversion time before the visit is used, and noted', async () => {
    const id = await chain.send();
    await say(`click_id=${id}&payout=1&conversion_time=2024-05-01T10:00:00Z`);
    const row = (await desk.postbacksIn()).find((p) => p.rawQuery.includes(id))!;
    expect(row.notes).toContain('before_visit:conversion_time');
    expect((await bookedOf(id))[0]!.at).toBe('2024-05-01T10:00:00.000Z');
  });
});

describe('bodies as careless servers send them', () => {
  const post = (body: string | Uint8Array<ArrayBuffer>, type = 'application/json') =>
    say('', { method: 'POST', headers: { 'Content-Type': type }, body });

  it('keeps every digit of a JSON number', async () => {
    const id = await chain.send();
    await post(`{"click_id":"${id}","transaction":12345678901234567890,"payout":1.10}`);
    expect((await bookedOf(id)).map((c) => [c.transaction, c.payoutMicros])).toEqual([
      ['12345678901234567890', '1100000'],
    ]);
  });

  it.each([
    ['a list in a list', '[[{"click_id":"x"}]', 'application/json', /not valid JSON/],
    [
      'a multipart form',
      '--b\r\nContent-Disposition: form-data; name="a"\r\n\r\n1\r\n--b--',
      'multipart/form-data; boundary=b',
      /multipart/,
    ],
    [
      'deep nesting',
      `{"a":${'['.repeat(30_000)}${']'.repeat(30_000)}}`,
      'application/json',
      /nested too deeply/,
    ],
    ['broken JSON', '{"click_id": ', 'application/json', /not valid JSON/],
  ])('%s says what is wrong', async (_, body, type, why) => {
    const said = await post(body, type);
    expect(said).toMatchObject({ status: 200, outcome: 'repair' });
    expect(said.reason).toMatch(why);
  });

  it('an object where a value belongs is never guessed at', async () => {
    const id = await chain.send();
    const said = await post(`{"click_id":"${id}","payout":{"amount":5}}`);
    expect(said).toMatchObject({ outcome: 'repair', reason: expect.stringContaining('“payout”') });
  });
});

it('tells every later change of what is counted, with the values before and after, in order', async () => {
  const chain = await desk.chain();
  const id = await chain.send('clk=fact', {
    'User-Agent': 'curl/8.4',
    Referer: 'https://tuinpraat.example/',
  });
  const say = (query: string) => desk.say(chain.network.key, `click_id=${id}&transaction=F1&${query}`);
  await say('payout=4&status=wait');
  await say('payout=4&status=wait');
  await say('payout=4&status=ok');
  await say('status=back');
  expect((await desk.owner.remove(`/visits/${id}`)).status).toBe(200);
  expect((await desk.owner.remove(`/visits/${id}`)).status).toBe(200);
  const { rows } = await desk.pool.query<{
    kind: string;
    day: string;
    old: object | null;
    new: object | null;
  }>(
    `SELECT kind, day::text, old, new FROM fact_changes WHERE desk_id = $1 AND (subject_id = $2
       OR subject_id IN (SELECT id FROM conversions WHERE click_id = $2)) ORDER BY fact_changes.id`,
    [desk.deskId, id],
  );
  const [pending, approved, reversed] = ['pending', 'approved', 'reversed'].map((status) =>
    expect.objectContaining({ status, payoutMicros: '4000000', currency: 'EUR' }),
  );
  expect(rows.map((r) => [r.kind, r.old, r.new])).toEqual([
    ['conversion', null, pending],
    ['bot_mark', { isBot: true }, { isBot: false }],
    ['conversion', pending, approved],
    ['conversion', approved, reversed],
    ['erasure', null, expect.objectContaining({ referrer_host: '', subs: {} })],
  ]);
  expect(new Set(rows.map((r) => r.day))).toEqual(new Set([clickIdDay(id)]));
});
