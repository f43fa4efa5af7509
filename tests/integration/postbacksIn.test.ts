import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { ManyAnswer, PartRecord, PostbackInRow } from '@tracheon/core/contract';
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
const conversionsOf = async (clickId: string) =>
  (await desk.booked())
    .filter((c) => c.clickId === clickId)
    .map((c) => [c.status, c.payoutMicros, c.transaction]);

describe('a call that can be booked', () => {
  it('goes through the statuses of one conversion, each said in a sentence', async () => {
    const id = await chain.send('clk=a1');
    const call = `click_id=${id}&payout=18.00&currency=EUR&transaction=LK-1`;
    expect(await say(`${call}&status=wait`)).toEqual({
      status: 200,
      outcome: 'accepted',
      reason: 'New conversion.',
    });
    expect(await say(`${call}&status=ok`)).toMatchObject({
      outcome: 'updated',
      reason: expect.stringContaining('now approved'),
    });
    expect(await say(`${call}&status=ok`)).toMatchObject({ outcome: 'duplicate' });
    // An old call arriving late says nothing new.
    expect(await say(`${call}&status=wait`)).toMatchObject({ outcome: 'duplicate' });
    expect(await conversionsOf(id)).toEqual([['approved', '18000000', 'LK-1']]);
    expect(await say(`${call}&status=back`)).toMatchObject({ outcome: 'updated' });
    expect(await conversionsOf(id)).toEqual([['reversed', '18000000', 'LK-1']]);
    const { rows } = await desk.pool.query(
      `SELECT kind, sum(delta_micros)::text AS delta, sum(base_delta_micros)::text AS base FROM ledger
       WHERE conversion_id IN (SELECT id FROM conversions WHERE click_id = $1) GROUP BY kind ORDER BY kind`,
      [id],
    );
    expect(rows).toEqual([
      { kind: 'earn', delta: '0', base: '0' },
      { kind: 'hold', delta: '0', base: '0' },
    ]);
  });

  it('may come as form, as JSON, in lower case, with a space around the ID', async () => {
    const id = await chain.send();
    const form = await say('', {
      method: 'POST',
      headers: { 'Content-Type': 'application/x-www-form-urlencoded' },
      body: `click_id=${id.toLowerCase()}&payout=5&transaction=F1`,
    });
    expect(form.outcome).toBe('accepted');
    const json = await say('', {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ click_id: ` ${id} `, payout: 6, transaction: 'F2', nested: { a: 1 } }),
    });
    expect(json.outcome).toBe('accepted');
    const row = (await desk.postbacksIn()).find((c) => c.body.includes('F2'))!;
    expect(row.notes).toContain('trimmed:click_id');
  });

  it('takes our own words and the aliases of our wire names', async () => {
    const id = await chain.send();
    expect((await say(`click_id=${id}&amount=7.5&txn=A1&status=pending`)).outcome).toBe('accepted');
    expect(await conversionsOf(id)).toEqual([['pending', '7500000', 'A1']]);
  });

  it('without a transaction belongs to one conversion, which a first transaction adopts', async () => {
    const id = await chain.send();
    expect((await say(`click_id=${id}&payout=5`)).outcome).toBe('accepted');
    expect((await say(`click_id=${id}&payout=5&transaction=B1`)).outcome).toBe('duplicate');
    expect((await say(`click_id=${id}&payout=9&transaction=B2`)).outcome).toBe('accepted');
    expect((await conversionsOf(id)).map((c) => c[2]).sort()).toEqual(['B1', 'B2']);
  });

  it('with a transaction alone finds its conversion in the network, and only a certain one', async () => {
    const [a, b] = [await chain.send(), await chain.send()];
    await say(`click_id=${a}&payout=5&transaction=T-ONE&status=wait`);
    expect((await say('transaction=T-ONE&status=ok')).outcome).toBe('updated');
    expect(await conversionsOf(a)).toEqual([['approved', '5000000', 'T-ONE']]);
    await say(`click_id=${a}&payout=5&transaction=T-TWO`);
    await say(`click_id=${b}&payout=5&transaction=T-TWO`);
    expect(await say('transaction=T-TWO&status=back')).toMatchObject({
      outcome: 'repair',
      reason: expect.stringContaining('more than one'),
    });
    expect(await say('transaction=T-NONE')).toMatchObject({
      outcome: 'repair',
      reason: expect.stringContaining('T-NONE'),
    });
  });

  it('below zero takes back, as the network is set up', async () => {
    const id = await chain.send();
    await say(`click_id=${id}&payout=5&transaction=N1`);
    expect((await say(`click_id=${id}&payout=-5&transaction=N1`)).outcome).toBe('updated');
    expect(await conversionsOf(id)).toEqual([['reversed', '5000000', 'N1']]);
  });

  it('clears the bot mark of its visit', async () => {
    const id = await chain.send('', { 'User-Agent': 'curl/8' });
    await say(`click_id=${id}&payout=5`);
    const { rows } = await desk.pool.query('SELECT is_bot, notes FROM visits WHERE id = $1', [id]);
    expect(rows).toEqual([{ is_bot: false, notes: expect.arrayContaining(['bot_cleared']) }]);
  });

  it('is booked once when it comes ten times at once', async () => {
    const id = await chain.send();
    const all = await Promise.all(
      Array.from({ length: 10 }, () => say(`click_id=${id}&payout=3&transaction=SAME&status=ok`)),
    );
    expect(all.every((a) => a.status === 200)).toBe(true);
    await until(
      async () => (await desk.postbacksIn()).every((c) => c.outcome !== 'queued'),
      'all to be judged',
    );
    expect(await conversionsOf(id)).toEqual([['approved', '3000000', 'SAME']]);
    const { rows } = await desk.pool.query(
      `SELECT sum(base_delta_micros)::text AS base FROM ledger l JOIN conversions c ON c.id = l.conversion_id WHERE c.click_id = $1`,
      [id],
    );
    expect(rows).toEqual([{ base: '3000000' }]);
  });
});

describe('a call that cannot be booked is kept, with the reason', () => {
  const id = '01KAXR00000000000000000000';
  it.each([
    ['payout=5', 'repair', /neither a click ID nor a transaction/],
    ['click_id=&payout=5', 'repair', /neither a click ID/],
    ['click_id=%23ref%23&payout=5', 'repair', /#ref# came back unchanged/],
    ['click_id=%23reff%23&payout=5', 'repair', /#reff# came back unchanged/],
    [`click_id=${id}&payout=5`, 'repair', /No visit has the click ID/],
    ['click_id=hello&payout=5', 'repair', /No visit has the click ID “hello”/],
    [`click_id=${id}&payout=1,234`, 'repair', /is ambiguous/],
    [`click_id=${id}&payout=1e9`, 'repair', /is not an amount/],
    [`click_id=${id}&payout=${'9'.repeat(40)}`, 'repair', /is too large/],
    [`click_id=${id}&payout=5&currency=EURO`, 'repair', /not a currency code/],
    [`click_id=${id}&payout=5&currency=XQZ`, 'repair', /not a currency code/],
    [`click_id=${id}&status=hold`, 'repair', /“hold” is not mapped/],
    [`click_id=${id}&event=extra`, 'repair', /“extra” is not mapped/],
    [`click_id=${id}&status=noise`, 'ignored', /mapped to “ignore”/],
  ])('%s', async (query, outcome, why) => {
    const said = await say(query);
    expect(said).toMatchObject({ status: 200, outcome });
    expect(said.reason).toMatch(why);
    const kept = (await desk.postbacksIn())[0]!;
    expect([kept.rawQuery, kept.outcome, kept.sentence]).toEqual([query, outcome, said.reason]);
  });

  it('and is booked once the mapping is mended and it is judged again, any number of times', async () => {
    const click = await chain.send();
    await say(`click_id=${click}&payout=4&transaction=M1&status=later`);
    const kept = (await desk.postbacksIn())[0]!;
    expect(kept.outcome).toBe('repair');
    const { body } = chain.network;
    const statusWords = [...body.statusWords, { word: 'later', means: 'pending' }];
    const saved = await desk.owner.put<typeof chain.network>(`/parts/network/${chain.network.id}`, {
      version: chain.network.version,
      body: { ...body, statusWords },
    });
    chain.network = saved.body;
    for (let i = 0; i < 3; i++)
      expect((await desk.owner.post(`/postbacks-in/${kept.id}/reprocess`)).body).toMatchObject({
        outcome: 'accepted',
      });
    expect(await conversionsOf(click)).toEqual([['pending', '4000000', 'M1']]);
    const { rows } = await desk.pool.query(
      `SELECT count(*)::int AS n FROM ledger l JOIN conversions c ON c.id = l.conversion_id WHERE c.click_id = $1`,
      [click],
    );
    expect(rows).toEqual([{ n: 1 }]);
  });

  it('and leaves its old conversion when a mended mapping moves it to another event type', async () => {
    const upsell = await desk.make('event-type', { name: 'Upsell', word: 'upsell', repeats: false });
    const c = await desk.chain({ network: { eventWords: [] } });
    const click = await c.send();
    const sale = (await desk.owner.get<{ id: string }[]>('/parts/event-type')).body[0]!;
    const mapped = (eventTypeId: string) => ({
      ...c.network.body,
      eventWords: [{ word: 'more', eventTypeId }],
    });
    const save = async (version: number, to: string) =>
      desk.owner.put(`/parts/network/${c.network.id}`, { version, body: mapped(to) });
    await save(1, sale.id);
    await desk.say(c.network.key, `click_id=${click}&payout=4&event=more`);
    await save(2, upsell.id);
    const kept = (await desk.postbacksIn())[0]!;
    await desk.owner.post(`/postbacks-in/${kept.id}/reprocess`);
    const rows = (await desk.booked()).filter((b) => b.clickId === click);
    expect(rows.map((b) => b.eventName)).toEqual(['Upsell']);
    const sums = await desk.pool.query(
      `SELECT sum(base_delta_micros)::text AS base FROM ledger WHERE receipt_id = $1`,
      [kept.id],
    );
    expect(sums.rows).toEqual([{ base: '4000000' }]);
  });

  it('of a visit that was sent nowhere', async () => {
    const c = await desk.chain();
    await desk.owner.put(`/parts/campaign/${c.campaign.id}/state`, { state: 'paused' });
    await until(async () => (await desk.visit(`/v/${c.campaign.key}`)).status === 404, 'the stop');
    const nowhere = () =>
      desk.pool.query(`SELECT id FROM visits WHERE campaign_id = $1 AND offer_id = ''`, [c.campaign.id]);
    await until(async () => (await nowhere()).rows.length > 0, 'the visit');
    const res = await desk.say(c.network.key, `click_id=${(await nowhere()).rows[0].id}&payout=5`);
    expect(res).toMatchObject({ outcome: 'repair', reason: expect.stringContaining('not sent to an offer') });
  });

  it('older than the attribution window: kept, ignored, not booked', async () => {
    const c = await desk.chain({ offer: { windowDays: 1 } });
    const click = await c.send();
    await desk.pool.query(`UPDATE visits SET at = at - interval '30 hours' WHERE id = $1`, [click]);
    const res = await desk.say(c.network.key, `click_id=${click}&payout=5`);
    expect(res).toMatchObject({
      outcome: 'ignored',
      reason: expect.stringContaining('attribution window'),
    });
    expect(await conversionsOf(click)).toEqual([]);
  });
});

describe('amounts', () => {
  const paid = async (offer: object, query: string) => {
    const c = await desk.chain({ offer });
    const click = await c.send();
    await desk.say(c.network.key, `click_id=${click}&${query}`);
    return (await desk.booked())
      .filter((b) => b.clickId === click)
      .map((b) => [b.payoutMicros, b.currency, b.baseMicros, b.flags]);
  };
  it('fixed on the offer wins over what is reported, and the difference is flagged', async () => {
    expect(await paid({ payoutMode: 'fixed', payoutMicros: '18000000' }, 'payout=12')).toEqual([
      ['18000000', 'EUR', '18000000', ['payout_differs']],
    ]);
  });
  it('reported, else the offer’s default, else zero and flagged', async () => {
    expect(await paid({ payoutMicros: '7000000' }, 'transaction=1')).toEqual([
      ['7000000', 'EUR', '7000000', []],
    ]);
    expect(await paid({}, 'transaction=1')).toEqual([['0', 'EUR', '0', ['no_payout']]]);
  });
  it('the terms are those of the visit’s time, also when the offer changes before the call', async () => {
    const c = await desk.chain({ offer: { payoutMode: 'fixed', payoutMicros: '10000000' } });
    const click = await c.send();
    await desk.owner.put(`/parts/offer/${c.offer.id}`, {
      version: 1,
      body: { ...c.offer.body, payoutMicros: '99000000' },
    });
    await desk.say(c.network.key, `click_id=${click}`);
    expect((await desk.booked()).find((b) => b.clickId === click)!.payoutMicros).toBe('10000000');
  });
  it('in a currency without a rate stay unconverted until the rate comes', async () => {
    const c = await desk.chain();
    const click = await c.send();
    await desk.say(c.network.key, `click_id=${click}&payout=10&currency=DKK`);
    const own = async () => (await desk.booked()).find((b) => b.clickId === click)!;
    expect((await own()).baseMicros).toBeNull();
    const report = async () =>
      (await desk.owner.get<{ total: { unconverted: unknown[] } }>('/reports/campaigns?period=today')).body;
    await until(async () => (await report()).total.unconverted.length > 0, 'the figures');
    expect((await report()).total.unconverted).toEqual([
      { currency: 'DKK', spentMicros: '0', earnedMicros: '10000000', onHoldMicros: '0' },
    ]);
    await desk.owner.put('/rates', { base: 'DKK', day: '2020-01-01', rate: '0.134' });
    expect((await own()).baseMicros).toBe('1340000');
    await desk.say(c.network.key, `click_id=${click}&status=back`);
    const { rows } = await desk.pool.query(
      `SELECT sum(base_delta_micros)::text AS base FROM ledger l JOIN conversions c ON c.id = l.conversion_id WHERE c.click_id = $1`,
      [click],
    );
    expect(rows).toEqual([{ base: '0' }]);
  });
});

describe('answers', () => {
  it.each([
    ['ok', 'OK'],
    ['one', '1'],
    ['empty', ''],
  ])('in the style %s', async (answerStyle, text) => {
    const c = await desk.chain({ network: { answerStyle } });
    const res = await desk.call(c.network.key, 'payout=5');
    expect([res.status, res.text]).toEqual([200, text]);
  });
  it('what cannot be repaired is set aside with a reason, also in bulk, and stays so until it can be booked', async () => {
    const c = await desk.chain();
    const id = await c.send();
    for (const n of [1, 2]) await desk.say(c.network.key, `click_id=${id}&payout=1&status=odd${n}`);
    const mine = async () =>
      (await desk.postbacksIn())
        .filter((p) => p.networkId === c.network.id)
        .map((p) => [p.outcome, p.setAsideReason]);
    const ids = (await desk.postbacksIn()).filter((p) => p.networkId === c.network.id).map((p) => p.id);
    const done = await desk.owner.post<ManyAnswer>('/postbacks-in/set-aside', {
      ids,
      reason: 'A test of theirs',
    });
    expect(done.body).toEqual({ changed: 2, unchanged: [] });
    expect(await mine()).toEqual([
      ['set_aside', 'A test of theirs'],
      ['set_aside', 'A test of theirs'],
    ]);
    const again = async () =>
      (await desk.owner.post<ManyAnswer>('/postbacks-in/reprocess', { ids })).body.changed;
    // Nothing has been mended: it stays aside, and out of what needs repair.
    await again();
    expect((await mine()).map(([outcome]) => outcome)).toEqual(['set_aside', 'set_aside']);
    const { version, body } = (await desk.owner.get<PartRecord<'network'>>(`/parts/network/${c.network.id}`))
      .body;
    const statusWords = [...body.statusWords, { word: 'odd1', means: 'approved' }];
    expect(
      (await desk.owner.put(`/parts/network/${c.network.id}`, { version, body: { ...body, statusWords } }))
        .status,
    ).toBe(200);
    expect(await again()).toBeGreaterThan(0);
    expect((await mine()).map(([outcome]) => outcome).sort()).toEqual(['accepted', 'set_aside']);
  });

  it('unknown key 404, other method 405, body over 64 KiB 413: each with its code', async () => {
    const ask = async (key: string, init: RequestInit) => {
      const res = await fetch(`${desk.tracking}/in/${key}`, init);
      return [res.status, res.headers.get('tracheon-error')];
    };
    expect(await ask('nosuchkey', {})).toEqual([404, 'unknown_intake_key']);
    expect(await ask(chain.network.key, { method: 'DELETE' })).toEqual([405, 'method_not_allowed']);
    const before = (await desk.postbacksIn()).length;
    expect(await ask(chain.network.key, { method: 'POST', body: 'x'.repeat(64 * 1024 + 1) })).toEqual([
      413,
      'body_too_large',
    ]);
    expect((await desk.postbacksIn()).length).toBe(before);
  });
  it('invalid JSON and ten thousand parameters are kept and explained', async () => {
    const json = await say('', {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: '{"click_id": ',
    });
    expect(json).toMatchObject({ status: 200, outcome: 'repair' });
    const many = await say('', {
      method: 'POST',
      body: Array.from({ length: 10_000 }, (_, i) => `a${i}`).join('&'),
    });
    expect(many).toMatchObject({ status: 200, outcome: 'repair' });
    expect((await desk.postbacksIn())[0]!.notes).toContain('too_many_parameters');
  });
  it('never keeps Authorization or Cookie', async () => {
    await say('payout=5', { headers: { Authorization: 'Bearer secret', Cookie: 'a=secret' } });
    const { rows } = await desk.pool.query(
      'SELECT headers::text AS h FROM receipts ORDER BY id DESC LIMIT 1',
    );
    expect(rows[0].h).not.toContain('secret');
  });
  it('lists them newest first, searched and filtered on the server', async () => {
    const rows = await desk.list<PostbackInRow>('/postbacks-in?kind=repair&limit=3');
    expect(rows.length).toBe(3);
    expect(rows.every((r) => r.outcome === 'repair')).toBe(true);
    expect(rows.map((r) => r.id)).toEqual(
      rows
        .map((r) => r.id)
        .sort()
        .reverse(),
    );
    expect((await desk.list<PostbackInRow>('/postbacks-in?search=T-NONE')).length).toBe(1);
    expect((await desk.list<PostbackInRow>('/postbacks-in?search=100%25')).length).toBe(0);
  });
});
