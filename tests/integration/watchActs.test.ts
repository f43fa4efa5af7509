/** What watches do: to offers, branches and pairings, to lists, to the source by a request; and how it is undone. */
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { NoticeSend, OwnFigure, PartRecord, WatchInput, WatchRecord } from '@tracheon/core/contract';
import { findPairings } from '@tracheon/core/routing';
import type { OwnDesk } from './ownServer.ts';
import { sampleRouting } from './sampleRouting.ts';
import { until, type Chain } from './testDesk.ts';
import { HOUR_MS, WatchDesk } from './watchDesk.ts';

/** A source that takes requests, as it is told to. */
const asked: { url: string; body: string; key: string }[] = [];
let answers = 200;
let source: Server;
let sourceAt = '';
let w: WatchDesk;
let desk: OwnDesk;
beforeAll(async () => {
  source = createServer((req, res) => {
    let body = '';
    req.on('data', (chunk: Buffer) => (body += chunk.toString()));
    req.on('end', () => {
      asked.push({ url: req.url!, body, key: String(req.headers['idempotency-key']) });
      res.writeHead(answers, answers === 302 ? { Location: 'http://10.0.0.1/' } : {}).end();
    });
  });
  await new Promise<void>((done) => source.listen(0, '127.0.0.9', done));
  const { port } = source.address() as AddressInfo;
  sourceAt = `http://127.0.0.9:${port}`;
  w = await WatchDesk.open({ TRACHEON_ALLOW_OUTGOING: `127.0.0.9:${port}` });
  desk = w.desk;
});
afterAll(async () => {
  await w.close();
  source.close();
  source.closeAllConnections();
});

const ten = { offer: { payoutMicros: '10000000', currency: 'EUR' } };
const losing: Pick<WatchInput, 'conditions'> = {
  conditions: [{ figure: 'profitMicros', is: '<', than: 0, unit: 'own' }],
};
const part = async <K extends 'offer' | 'campaign'>(kind: K, id: string): Promise<PartRecord<K>> =>
  (await desk.owner.get<PartRecord<K>>(`/parts/${kind}/${id}`)).body;
const only = async (watch: WatchRecord) => (await w.history(watch)).findings[0]!;

describe('an offer', () => {
  it('is paused, resumed by an undo, and left alone once somebody has changed it', async () => {
    const of = await desk.chain(ten);
    await w.visits(of, 30, 1_000_000);
    const watch = await w.add(w.watchOn(of, { subject: 'offer_id', act: 'pause', ...losing }));
    await w.check();
    expect((await part('offer', of.offer.id)).body.sending).toBe('paused');
    expect((await w.decide(await only(watch), 'undo')).body.state).toBe('undone');
    expect((await part('offer', of.offer.id)).body.sending).toBe('live');
    expect((await w.decide(await only(watch), 'act')).body.state).toBe('done');
    const now = await part('offer', of.offer.id);
    const ended = { version: now.version, body: { ...now.body, sending: 'ended' } };
    expect((await desk.owner.put(`/parts/offer/${now.id}`, ended)).status).toBe(200);
    const refused = await w.decide(await only(watch), 'undo');
    expect([refused.status, refused.body.detail]).toEqual([
      409,
      'Somebody has changed it since. Look at it first.',
    ]);
    await w.off(watch);
  });
});

describe('in a campaign with branches', () => {
  let of: Chain;
  beforeAll(async () => {
    of = await desk.chain(ten);
    const now = await part('campaign', of.campaign.id);
    const body = { ...now.body, offerId: '', landingPageId: '', routing: sampleRouting(of.offer.id, 2) };
    await desk.owner.put(`/parts/campaign/${now.id}`, { version: now.version, body });
    const within = (branchId: string, pairingId: string) => ({ more: { branchId, pairingId } });
    await w.visits(of, 30, 1_000_000, within('b0', 'b0-0'));
    await w.visits(of, 40, 1_000_000, within('otherwise', 'o-1'));
  });
  const pairings = async (which: { pairingId: string } | { branchId: string }): Promise<string[]> =>
    findPairings((await part('campaign', of.campaign.id)).body, which).map(
      (p) => `${p.id} ${p.isOn ? 'on' : 'off'} ${p.weight}`,
    );

  it('pairings are paused and given another weight, and only what is as it was left is undone', async () => {
    const inside = { campaignId: of.campaign.id, ...losing };
    const paused = await w.add(w.watchOn(of, { subject: 'pairing_id', act: 'pause', ...inside }));
    await w.check();
    expect(await w.found(paused)).toEqual([expect.stringContaining('done'), expect.stringContaining('done')]);
    expect(await pairings({ branchId: 'b0' })).toEqual(['b0-0 off 3', 'b0-1 on 1']);
    expect(await pairings({ branchId: 'otherwise' })).toEqual(['o-0 on 3', 'o-1 off 1']);
    await w.off(paused);
    for (const finding of (await w.history(paused)).findings) await w.decide(finding, 'undo');
    expect(await pairings({ branchId: 'otherwise' })).toEqual(['o-0 on 3', 'o-1 on 1']);
    const weighed = await w.add(
      w.watchOn(of, { subject: 'pairing_id', act: 'weight', weightTo: 9, ...inside }),
    );
    await w.check();
    expect(await pairings({ pairingId: 'o-1' })).toEqual(['o-1 on 9']);
    await w.off(weighed);
  });

  it('a branch is paused with all of its pairings, and what follows is said', async () => {
    const watch = await w.add(
      w.watchOn(of, { subject: 'branch_id', act: 'pause', campaignId: of.campaign.id, ...losing }),
    );
    await w.check();
    expect(await pairings({ branchId: 'b0' })).toEqual([
      expect.stringContaining('off'),
      expect.stringContaining('off'),
    ]);
    const { findings } = await w.history(watch);
    expect(findings.find((f) => f.value === 'b0')).toMatchObject({
      state: 'done',
      why: 'The branch “Branch 1” has no pairing left: its visitors go to the campaign’s fallback.',
    });
    await w.off(watch);
  });

  it('are refused without the campaign that they stand in', async () => {
    const body = { ...w.watchOn(of, losing), subject: 'pairing_id', act: 'pause' };
    const { body: refused } = await desk.owner.post<{ fields: { path: string }[] }>('/watches', body);
    expect(refused.fields.map((f) => f.path)).toEqual(['campaignId']);
  });
});

describe('two watches that contradict each other', () => {
  it('do not undo one another: the second one asks, and names the first', async () => {
    const of = await desk.chain(ten);
    await w.visits(of, 30, 1_000_000);
    const one = await w.add(w.watchOn(of, { act: 'block', ...losing }));
    const other = await w.add(w.watchOn(of, { act: 'allow', ...losing }));
    await w.check();
    const states = [await only(one), await only(other)];
    expect(states.map((f) => f.state).sort()).toEqual(['asked', 'done']);
    expect(states.find((f) => f.state === 'asked')!.why).toMatch(
      /^The watch “.*” did the opposite in the last 24 hours\. The two watches contradict each other\.$/,
    );
    expect(await w.listed(of)).toHaveLength(1);
    await w.off(one);
    await w.off(other);
  });
});

describe('a request to the source', () => {
  const sends = async (): Promise<NoticeSend[]> =>
    (await desk.owner.get<{ rows: NoticeSend[] }>('/notice-sends')).body.rows;
  /** Sent by the server of the test, as soon as it looks. */
  async function requested(of: Chain, repeats: boolean): Promise<NoticeSend> {
    // Each test’s is the newest.
    w.nowMs += 1000;
    asked.length = 0;
    const before = (await sends()).length;
    const request = {
      method: 'json' as const,
      url: `${sourceAt}/cut?s={value}`,
      body: '{"s":"{value}"}',
      repeats,
    };
    const watch = await w.add(w.watchOn(of, { act: 'request', request, ...losing }));
    await w.check();
    await w.off(watch);
    await until(async () => {
      const all = await sends();
      return all.length > before && all[0]!.state !== 'waiting' && all[0]!.state !== 'sending';
    }, 'the request');
    return (await sends())[0]!;
  }

  it('carries the value as it came, once', async () => {
    const of = await desk.chain(ten);
    await w.visits(of, 30, 1_000_000, { site: 'a&b "c"\r\nX-Evil: 1' });
    answers = 200;
    expect(await requested(of, false)).toMatchObject({ kind: 'request', state: 'delivered' });
    expect(asked).toHaveLength(1);
    expect(new URL(asked[0]!.url, sourceAt).searchParams.get('s')).toBe(
      (JSON.parse(asked[0]!.body) as { s: string }).s,
    );
    expect((JSON.parse(asked[0]!.body) as { s: string }).s).toContain('a&b "c"');
  });

  it('whose outcome nobody knows is not repeated, and one that leads elsewhere is given up', async () => {
    const of = await desk.chain(ten);
    await w.visits(of, 30, 1_000_000);
    answers = 500;
    expect(await requested(of, false)).toMatchObject({ state: 'unknown', result: 'It answered 500.' });
    answers = 302;
    expect(await requested(of, true)).toMatchObject({
      state: 'gave_up',
      result: 'It answered 302. Tracheon follows no redirects.',
    });
  });

  it('is repeated with the same key where that is allowed', async () => {
    const of = await desk.chain(ten);
    await w.visits(of, 30, 1_000_000);
    answers = 503;
    w.nowMs += 1000;
    asked.length = 0;
    const request = { method: 'get' as const, url: `${sourceAt}/cut?s={value}`, body: '', repeats: true };
    const watch = await w.add(w.watchOn(of, { act: 'request', request, ...losing }));
    await w.check();
    await w.off(watch);
    await until(async () => (await sends())[0]!.nextTryAt !== null && asked.length === 1, 'the first try');
    answers = 200;
    await until(async () => {
      await desk.pool.query(`UPDATE notice_sends SET next_try_at = now() WHERE state = 'waiting'`);
      return (await sends())[0]!.state === 'delivered';
    }, 'the second try');
    expect(asked[1]!.key).toBe(asked[0]!.key);
    const refused = await w.decide(await only(watch), 'undo');
    expect(refused.status).toBe(409);
  });

  it('names a token that there is not', async () => {
    const of = await desk.chain(ten);
    const request = { method: 'get', url: `${sourceAt}/?s={site}`, body: '', repeats: false };
    const body = { ...w.watchOn(of, losing), act: 'request', request };
    const { body: refused } = await desk.owner.post<{ fields: object[] }>('/watches', body);
    expect(refused.fields).toEqual([{ path: 'request.url', message: 'There is no token {site} here.' }]);
  });
});

describe('a condition', () => {
  it('compares with the same hours of the days before, also for what is gone now', async () => {
    const of = await desk.chain(ten);
    for (let day = 0; day <= 7; day++)
      for (const [site, today, before] of [
        ['steady', 40, 40],
        ['falling', 10, 40],
        ['gone', 0, 40],
        ['new', 40, 0],
      ] as const)
        await w.visits(of, day === 0 ? today : before, 1000, { site, hoursAgo: 3 + day * 24 });
    const watch = await w.add(
      w.watchOn(of, {
        act: 'notify',
        isGuarded: false,
        windowHours: 8,
        skipHours: 1,
        conditions: [{ figure: 'visits', is: '<', than: 0.5, unit: 'usual' }],
      }),
    );
    await w.check();
    expect(await w.found(watch)).toEqual(['falling none', 'gone none']);
    const { findings } = await w.history(watch);
    expect(findings.find((f) => f.name === 'gone')!.seen).toContainEqual({
      figure: 'visits',
      value: 0,
      usual: 40,
    });
    expect((await w.notices(watch))[0]!.text).toContain('visits 10 (usually 40)');
    await w.off(watch);
  });

  it('reads a figure of the desk by its formula', async () => {
    const of = await desk.chain(ten);
    await w.visits(of, 30, 1_000_000, { site: 'dear' });
    await w.visits(of, 30, 400_000, { site: 'cheap' });
    const { body: own } = await desk.owner.post<OwnFigure>('/own-figures', {
      name: 'Cost of a visit, doubled',
      formula: '2 * spent / visits',
      format: 'number',
    });
    const watch = await w.add(
      w.watchOn(of, {
        act: 'notify',
        conditions: [{ figure: `own_${own.id}`, is: '>', than: 1.5, unit: 'own' }],
      }),
    );
    await w.check();
    expect(await w.found(watch)).toEqual(['dear none']);
    expect((await w.notices(watch))[0]!.text).toContain('Cost of a visit, doubled 2.');
    expect(w.nowMs - Date.now()).toBeLessThan(HOUR_MS);
    await w.off(watch);
  });
});

describe('a partner', () => {
  it('has its payouts held for review, in one batch, which an undo takes back', async () => {
    const partner = await desk.make('partner', { name: 'Bittern Media' });
    const { rows: types } = await desk.pool.query<{ id: string }>(
      `SELECT id FROM parts WHERE desk_id = $1 AND kind = 'event-type' ORDER BY id LIMIT 1`,
      [desk.deskId],
    );
    const partnerPayouts = [{ eventTypeId: types[0]!.id, pays: 'fixed', amountMicros: '6000000' }];
    const of = await desk.chain({ offer: { ...ten.offer, partnerPayouts } });
    const more = { broughtBy: partner.id, offerVersion: 1 };
    const ids = await w.visits(of, 3, 0, { more });
    for (const [i, id] of ids.entries())
      await desk.say(of.network.key, `click_id=${id}&payout=10&status=ok&transaction=HOLD-${i}`);
    const statuses = async (): Promise<string> => {
      const { rows } = await desk.pool.query<{ s: string }>(
        'SELECT partner_status AS s FROM conversions WHERE desk_id = $1 AND brought_by = $2 ORDER BY id',
        [desk.deskId, partner.id],
      );
      return rows.map((r) => r.s).join(' ');
    };
    expect(await statuses()).toBe('approved approved approved');
    const body = w.watchOn(of, {
      name: 'Partners whose visits convert too well',
      subject: 'brought_by',
      conditions: [{ figure: 'cr', is: '>', than: 0.5, unit: 'own' }],
      isGuarded: false,
      act: 'hold',
    });
    // What the advertiser is billed says nothing of what the partner was paid.
    const billed = { side: 'advertiser', partyId: of.network.id, currency: 'EUR' };
    expect((await desk.owner.post('/billing/statements', billed)).status).toBe(200);
    const watch = await w.add(body);
    await w.check();
    expect(await only(watch)).toMatchObject({ state: 'done', name: 'Bittern Media' });
    // They are processed by the server itself, after the commit.
    await until(async () => (await statuses()) === 'pending pending pending', 'the hold');
    expect((await w.decide(await only(watch), 'undo')).body.state).toBe('undone');
    await until(async () => (await statuses()) === 'approved approved approved', 'the payouts as they were');
    const other = await desk.owner.post<{ fields?: { path: string; message: string }[] }>('/watches', {
      ...body,
      name: 'Sites',
      subject: 'sub_site',
    });
    expect(other.body.fields).toEqual([
      { path: 'act', message: 'Only payouts of partners can be held. Watch partners.' },
    ]);
    await w.off(watch);
  });
});
