/** Terms of partners: what an offer pays and when it takes visitors, what a network demands and may, what a source is told. */
import { createHmac } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { PostbackOutRow, ConversionRow, PartRecord, Problem } from '@tracheon/core/contract';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { holdPostbacks, until, untilLive, type Chain } from './testDesk.ts';

let desk: OwnDesk;
beforeAll(async () => {
  desk = await openOwnServer();
  // What is to be told is compared, not the telling.
  await holdPostbacks(desk.pool);
});
afterAll(() => desk.close());
const day = (shift: number): string => new Date(Date.now() + shift * 86_400_000).toISOString().slice(0, 10);
const to = (res: Response): string => res.headers.get('location') ?? `${res.status}`;
const of = async (chain: Chain): Promise<ConversionRow[]> =>
  (await desk.booked()).filter((c) => c.campaignId === chain.campaign.id);
const told = async (chain: Chain): Promise<string[]> =>
  (await desk.list<PostbackOutRow>(`/postbacks-out?limit=200&campaign=${chain.campaign.id}`)).map(
    (c) => c.url,
  );
/** A changed part is live once the configuration's number has moved on everywhere; links show it. */
const change = async (part: PartRecord, body: object): Promise<void> => {
  const now = (await desk.owner.get<PartRecord>(`/parts/${part.kind}/${part.id}`)).body;
  const res = await desk.owner.put(`/parts/${part.kind}/${part.id}`, {
    version: now.version,
    body: { ...now.body, ...body },
  });
  expect(res.status).toBe(200);
};

describe('a network', () => {
  it('gets what it demands in every link, by the parameters of its own, cut where it cuts', async () => {
    const chain = await desk.chain({
      network: {
        subParameters: [
          { parameter: 'src', token: 'source_name', demanded: true },
          { parameter: 'ttl', token: 'sub_title', limit: 5 },
          { parameter: 'own', token: '' },
        ],
      },
      offer: { link: 'https://go.larkspur.example/o/1?src=mine' },
    });
    const res = await desk.visit(`/v/${chain.campaign.key}?clk=a&title=Moss%20jar`);
    expect(to(res)).toMatch(
      /^https:\/\/go\.larkspur\.example\/o\/1\?src=mine&aff_ref=[0-9A-Z]{26}&ttl=Moss%20$/,
    );
  });

  it('takes no click ID by itself when it has no parameter for it', async () => {
    const chain = await desk.chain({
      network: { clickIdParameter: '' },
      offer: { link: 'https://go.larkspur.example/o/1?mine={click_id}' },
    });
    expect(to(await desk.visit(`/v/${chain.campaign.key}`))).toMatch(/\?mine=[0-9A-Z]{26}$/);
  });

  it('may have to show a secret or a signature; without it a postback is kept, held, answered 200, and can be released', async () => {
    const chain = await desk.chain({ network: { callerProof: 'secret' } });
    const [key, secret] = chain.network.key.split(/-(.*)/) as [string, string];
    expect(secret).toMatch(/^[\w-]{24}$/);
    const id = await chain.send();
    const held = await desk.say(key, `click_id=${id}&payout=1&transaction=A`);
    expect([held.status, held.outcome, held.reason]).toEqual([
      200,
      'held',
      expect.stringContaining('secret'),
    ]);
    expect(await desk.say(`${key}-${'x'.repeat(24)}`, `click_id=${id}&payout=1&transaction=B`)).toMatchObject(
      { outcome: 'held' },
    );
    expect(await desk.say(chain.network.key, `click_id=${id}&payout=1&transaction=C`)).toMatchObject({
      outcome: 'accepted',
    });
    const first = (await desk.postbacksIn()).find((p) => p.outcome === 'held')!;
    expect(
      (await desk.owner.post<{ outcome: string }>(`/postbacks-in/${first.id}/release`)).body.outcome,
    ).toBe('accepted');
    // The secret is kept with no receipt, and a viewer gets neither key nor secret.
    const { rows } = await desk.pool.query('SELECT * FROM receipts WHERE network_id = $1', [
      chain.network.id,
    ]);
    expect(JSON.stringify(rows)).not.toContain(secret);
    await change(chain.network, { callerProof: 'signature' });
    const signing = (await desk.owner.get<{ secret: string }>(`/parts/network/${chain.network.id}/secret`))
      .body.secret;
    expect(signing).toBe(secret);
    const query = `click_id=${id}&payout=1&transaction=D`;
    const t = Math.floor(Date.now() / 1000);
    const s = createHmac('sha256', signing).update(`${t}.${query}.`).digest('hex');
    const signed = () => desk.say(key, query, { headers: { 'Tracheon-Signature': `t=${t}, s=${s}` } });
    await until(async () => (await signed()).outcome !== 'held', 'the change to be live');
    expect((await of(chain)).map((c) => c.transaction).sort()).toEqual(['B', 'C', 'D']);
  });

  it('tells extras by names of ours, which go on to the source', async () => {
    const chain = await desk.chain({
      network: { extras: [{ name: 'brand', macro: '#brd#', parameter: 'b' }, { name: 'colour' }] },
      source: {
        postbackUrl:
          'https://moorhen.example/x?u={source_click_id}&b={extra_brand}&c={extra_colour}&n={extra_none}',
      },
    });
    const id = await chain.send('clk=s1');
    await desk.say(chain.network.key, `click_id=${id}&payout=2&b=Fernway%20%26%20Co&x_colour=green&x_more=1`);
    const { rows } = await desk.pool.query<{ extras: object }>(
      'SELECT extras FROM conversions WHERE click_id = $1',
      [id],
    );
    expect(rows[0]!.extras).toEqual({ brand: 'Fernway & Co', colour: 'green', more: '1' });
    expect(await told(chain)).toEqual(['https://moorhen.example/x?u=s1&b=Fernway%20%26%20Co&c=green&n=']);
    // An unfilled macro is nothing.
    const other = await chain.send('clk=s2');
    await desk.say(chain.network.key, `click_id=${other}&payout=2&b=%23brd%23`);
    expect((await told(chain))[0]).toBe('https://moorhen.example/x?u=s2&b=&c=&n=');
  });

  it('is heard from its addresses only; calls from others are held, answered 200, and released by a member', async () => {
    const chain = await desk.chain({ network: { allowedAddresses: ['198.51.100.0/24', '2001:db8::1'] } });
    const from = (address: string): RequestInit => ({ headers: { 'X-Forwarded-For': address } });
    const id = await chain.send();
    const listed = await desk.say(
      chain.network.key,
      `click_id=${id}&payout=2&transaction=A`,
      from('198.51.100.77'),
    );
    expect([listed.status, listed.outcome]).toEqual([200, 'accepted']);
    const v6 = await desk.say(
      chain.network.key,
      `click_id=${id}&payout=2&transaction=B`,
      from('2001:db8::1'),
    );
    expect(v6.outcome).toBe('accepted');
    const held = await desk.say(
      chain.network.key,
      `click_id=${id}&payout=2&transaction=C`,
      from('203.0.113.9'),
    );
    expect([held.status, held.outcome]).toEqual([200, 'held']);
    expect(await of(chain)).toHaveLength(2);
    const call = (await desk.postbacksIn()).find((c) => c.outcome === 'held')!;
    expect(call.sentence).toContain('203.0.113.0/24');
    // Judging again does not let it in; only releasing does.
    await desk.owner.post(`/postbacks-in/${call.id}/reprocess`, {});
    expect(await of(chain)).toHaveLength(2);
    const released = await desk.owner.post<{ outcome: string }>(`/postbacks-in/${call.id}/release`, {});
    expect(released.body.outcome).toBe('accepted');
    expect(await of(chain)).toHaveLength(3);
    const again = await desk.owner.post<Problem>(`/postbacks-in/${call.id}/release`, {});
    expect(again.body.code).toBe('not_held');
  });

  it('gets a new key, and is heard with the old one for as long as was said', async () => {
    const chain = await desk.chain();
    const id = await chain.send();
    const fresh = await desk.owner.post<PartRecord>(`/parts/network/${chain.network.id}/key`, {
      overlapDays: 10,
    });
    expect(fresh.body.key).not.toBe(chain.network.key);
    await until(
      async () => (await desk.call(fresh.body.key, `click_id=${id}&payout=1&transaction=N`)).status === 200,
      'the new key',
    );
    expect((await desk.call(chain.network.key, `click_id=${id}&payout=1&transaction=O`)).status).toBe(200);
    await until(async () => (await of(chain)).length === 2, 'both conversions');
    await desk.pool.query('UPDATE old_keys SET valid_until = now() WHERE key = $1', [chain.network.key]);
    await change(chain.network, { notes: 'so that the configuration is read again' });
    await until(
      async () => (await desk.call(chain.network.key, 'click_id=x')).status === 404,
      'the end of the old key',
    );
    const campaign = await desk.owner.post<Problem>(`/parts/campaign/${chain.campaign.id}/key`, {});
    expect([campaign.status, campaign.body.code]).toEqual([409, 'no_key']);
  });
});

describe('an offer', () => {
  it('pays by event type, country and the day of the visit', async () => {
    const upsell = await desk.make('event-type', { name: 'Extra', word: 'extra' });
    const chain = await desk.chain({
      offer: {
        payoutMode: 'fixed',
        payoutMicros: '10000000',
        payouts: [
          { country: 'NL', amountMicros: '14000000' },
          { country: 'NL', amountMicros: '99000000', validFrom: day(3) },
          { eventTypeId: upsell.id, amountMicros: '3000000' },
        ],
      },
    });
    const [dutch, belgian] = [
      await chain.send('', { 'X-Forwarded-For': '145.53.9.9' }),
      await chain.send('', { 'X-Forwarded-For': '81.82.9.9' }),
    ];
    await desk.say(chain.network.key, `click_id=${dutch}&payout=1`);
    await desk.say(chain.network.key, `click_id=${belgian}&payout=1`);
    await desk.say(chain.network.key, `click_id=${belgian}&payout=1&event=extra`);
    expect((await of(chain)).map((c) => [c.eventName, c.payoutMicros]).sort()).toEqual(
      [
        ['Extra', '3000000'],
        ['Sale', '10000000'],
        ['Sale', '14000000'],
      ].sort(),
    );
  });

  it('that cannot take visitors hands them to its fallback offer, with terms of that one; else to an address; else nowhere', async () => {
    const second = await desk.chain({
      offer: { link: 'https://go.larkspur.example/second', payoutMode: 'fixed', payoutMicros: '5000000' },
    });
    const chain = await desk.chain({
      offer: {
        sending: 'ended',
        fallbackOfferId: second.offer.id,
        fallbackUrl: 'https://plain.example/s?n={campaign_name}',
      },
    });
    const id = await chain.send('clk=1');
    expect(to(await desk.visit(`/v/${chain.campaign.key}`))).toContain('/second?');
    const visit = (await desk.visits()).find((v) => v.id === id)!;
    expect(visit.offerId).toBe(second.offer.id);
    await desk.say(second.network.key, `click_id=${id}`);
    expect((await of(chain)).map((c) => [c.offerName, c.payoutMicros])).toEqual([
      [second.offer.body.name, '5000000'],
    ]);
    await change(second.offer, { startsOn: day(2) });
    const plain = `https://plain.example/s?n=${encodeURIComponent(chain.campaign.body.name)}`;
    await until(
      async () => to(await desk.visit(`/v/${chain.campaign.key}`)) === plain,
      'the address to fall back on',
    );
    await change(chain.offer, { fallbackUrl: '' });
    await until(async () => (await desk.visit(`/v/${chain.campaign.key}`)).status === 404, 'the plain page');
    await change(chain.offer, { sending: 'live', fallbackOfferId: '' });
    await until(
      async () => to(await desk.visit(`/v/${chain.campaign.key}`)).includes('/4471?'),
      'the offer again',
    );
  });

  it('stops at its cap, or at a share of it; a rejection frees its place', async () => {
    const chain = await desk.chain({ offer: { capCount: 4, capStopsAt: 50, capPeriod: 'day' } });
    const [one, two] = [await chain.send(), await chain.send()];
    await desk.say(chain.network.key, `click_id=${one}&payout=1&status=wait`);
    await desk.say(chain.network.key, `click_id=${two}&payout=1`);
    await until(async () => (await desk.visit(`/v/${chain.campaign.key}`)).status === 404, 'the cap');
    await desk.say(chain.network.key, `click_id=${one}&status=no`);
    await until(
      async () => (await desk.visit(`/v/${chain.campaign.key}`)).status === 302,
      'a free place',
      10_000,
    );
  });

  it('shares a cap with another offer, and counts the event types that were chosen', async () => {
    const sale = await desk.make('event-type', { name: 'Capped sale', word: 'capped_sale' });
    const chain = await desk.chain({ offer: { capCount: 2, capEventTypeIds: [sale.id] } });
    const other = await desk.make('offer', {
      ...chain.offer.body,
      name: `${chain.offer.body.name}, second`,
      capCount: 0,
      capEventTypeIds: [],
      capWithOfferId: chain.offer.id,
    });
    const campaign = await desk.make('campaign', {
      ...chain.campaign.body,
      name: 'To the second',
      offerId: other.id,
    });
    await untilLive(desk, campaign.key);
    const second = (await desk.visit(`/v/${campaign.key}`)).headers.get('location')!;
    const clicks = [await chain.send(), new URL(second).searchParams.get('aff_ref')!, await chain.send()];
    // Another event type counts nowhere.
    await desk.say(chain.network.key, `click_id=${clicks[2]}&payout=1`);
    await desk.say(chain.network.key, `click_id=${clicks[0]}&payout=1&event=capped_sale`);
    expect((await desk.visit(`/v/${campaign.key}`)).status).toBe(302);
    await desk.say(chain.network.key, `click_id=${clicks[1]}&payout=1&event=capped_sale`);
    for (const key of [campaign.key, chain.campaign.key])
      await until(async () => (await desk.visit(`/v/${key}`)).status === 404, 'the shared cap');
    const refused = await desk.owner.put<Problem>(`/parts/offer/${chain.offer.id}`, {
      version: 1,
      body: { ...chain.offer.body, capWithOfferId: other.id },
    });
    expect(refused.body.fields![0]).toMatchObject({
      path: 'capWithOfferId',
      message: `${other.body.name} shares the cap of another offer. Choose that offer.`,
    });
    const removed = await desk.owner.put<Problem>(`/parts/offer/${chain.offer.id}`, {
      version: 1,
      body: { ...chain.offer.body, capCount: 0 },
    });
    expect(removed.body.fields).toEqual([
      { path: 'capCount', message: `${other.body.name} shares this cap. Change that first.` },
    ]);
  });

  it('takes as many visits as its cap allows, bots and tests aside', async () => {
    const chain = await desk.chain({ offer: { visitCapCount: 4, visitCapPeriod: 'total' } });
    const status = async (headers: Record<string, string> = {}): Promise<number> =>
      (await desk.visit(`/v/${chain.campaign.key}`, headers)).status;
    await until(
      async () =>
        (await desk.pool.query('SELECT 1 FROM visit_leases WHERE offer_id = $1', [chain.offer.id]))
          .rowCount === 1,
      'the lease',
    );
    expect(await status({ 'User-Agent': 'curl/8' })).toBe(302);
    const all: number[] = [];
    for (let n = 0; n < 6; n++) all.push(await status());
    expect(all).toEqual([302, 302, 302, 302, 404, 404]);
  });

  it('is refused with a fallback that is itself, or days the wrong way round', async () => {
    const chain = await desk.chain();
    const { body } = chain.offer;
    const put = (more: object) =>
      desk.owner.put<Problem>(`/parts/offer/${chain.offer.id}`, { version: 1, body: { ...body, ...more } });
    expect((await put({ fallbackOfferId: chain.offer.id })).body.fields).toEqual([
      { path: 'fallbackOfferId', message: 'An offer can’t be its own fallback.' },
    ]);
    expect((await put({ startsOn: '2026-05-02', endsOn: '2026-05-01' })).body.fields![0]!.path).toBe(
      'endsOn',
    );
  });
});

describe('a source', () => {
  it('is told at the address of the account in which the campaign runs', async () => {
    const source = {
      postbackUrl: 'https://moorhen.example/all?u={source_click_id}',
      accounts: [
        { name: 'kits', postbackUrl: 'https://moorhen.example/kits?u={source_click_id}' },
        { name: 'tests', postbackUrl: '' },
      ],
    };
    const [kits, tests] = [
      await desk.chain({ source, campaign: { name: 'In kits', account: 'kits' } }),
      await desk.chain({ source, campaign: { name: 'In tests', account: 'tests' } }),
    ];
    for (const chain of [kits, tests])
      await desk.say(chain.network.key, `click_id=${await chain.send('clk=u')}&payout=1`);
    expect(await told(kits)).toEqual(['https://moorhen.example/kits?u=u']);
    expect(await told(tests)).toEqual(['https://moorhen.example/all?u=u']);
    const wrong = await desk.owner.put<Problem>(`/parts/campaign/${kits.campaign.id}`, {
      version: 1,
      body: { ...kits.campaign.body, account: 'nobody' },
    });
    expect(wrong.body.fields![0]!.path).toBe('account');
  });

  it('is told of its event types only, and of its share, decided once', async () => {
    const trial = await desk.make('event-type', { name: 'Trial', word: 'trial' });
    const postbackUrl = 'https://moorhen.example/x?u={source_click_id}&e={event}';
    const some = await desk.chain({ source: { postbackUrl, reportEvents: [trial.id] } });
    const id = await some.send('clk=e');
    await desk.say(some.network.key, `click_id=${id}&payout=1`);
    await desk.say(some.network.key, `click_id=${id}&payout=1&event=trial`);
    expect(await told(some)).toEqual(['https://moorhen.example/x?u=e&e=trial']);

    const half = await desk.chain({ source: { postbackUrl, reportedShare: 50 } });
    const ids: string[] = [];
    for (let i = 0; i < 40; i++) ids.push(await half.send(`clk=h${i}`));
    for (const h of ids) await desk.say(half.network.key, `click_id=${h}&payout=1`);
    const before = (await told(half)).length;
    expect(before).toBeGreaterThan(8);
    expect(before).toBeLessThan(32);
    // The share changes; what was decided stays.
    await change(half.source, { reportedShare: 100, reportStatuses: ['approved', 'reversed'] });
    for (const h of ids) await desk.say(half.network.key, `click_id=${h}&status=back`);
    expect((await told(half)).length).toBe(before * 2);
  });

  it('is told the payout in its own currency, by the rates of the conversion’s day; without one as it was booked', async () => {
    await desk.owner.put('/rates', { base: 'USD', day: '2026-01-01', rate: '0.9' });
    const source = {
      postbackUrl: 'https://moorhen.example/x?u={source_click_id}&p={payout}&c={payout_currency}',
      reportPayout: 'converted',
      costCurrency: 'USD',
    };
    const chain = await desk.chain({ source });
    for (const [clk, currency] of [
      ['eur', 'EUR'],
      ['usd', 'USD'],
      ['gbp', 'GBP'],
    ])
      await desk.say(
        chain.network.key,
        `click_id=${await chain.send(`clk=${clk}`)}&payout=9&currency=${currency}`,
      );
    expect((await told(chain)).sort()).toEqual([
      'https://moorhen.example/x?u=eur&p=10.00&c=USD',
      'https://moorhen.example/x?u=gbp&p=9.00&c=GBP',
      'https://moorhen.example/x?u=usd&p=9.00&c=USD',
    ]);
  });

  it('bills more clicks than arrive, and a fee: both are in the cost', async () => {
    const chain = await desk.chain({ source: { billedPerArrived: '1100000', feePercent: '10000000' } });
    const id = await chain.send('bid=0.1');
    expect((await desk.visits()).find((v) => v.id === id)!.costMicros).toBe('121000');
  });
});

describe('the truth for an event type', () => {
  it('may be a feed: calls are kept for comparison and add nothing, until the truth is calls again', async () => {
    const type = await desk.make<'event-type'>('event-type', { name: 'Search click', word: 'sclick' });
    const chain = await desk.chain({
      network: { eventWords: [{ word: 'sclick', eventTypeId: type.id }] },
      offer: { conversionsFrom: [{ eventTypeId: type.id, channel: 'feed' }] },
    });
    const click = await chain.send();
    const query = `click_id=${click}&payout=0.12&currency=EUR&status=approved&event=sclick`;
    const said = await desk.say(chain.network.key, query);
    expect(said).toMatchObject({ status: 200, outcome: 'ignored' });
    expect(await of(chain)).toEqual([]);
    const kept = (await desk.postbacksIn()).find((c) => c.clickId === click)!;
    expect(kept.sentence).toMatch(/from a feed, not from postbacks/);
    // Another event type of the same offer is told by calls as ever.
    const other = await desk.say(
      chain.network.key,
      `click_id=${click}&payout=9&currency=EUR&status=approved`,
    );
    expect(other.outcome).toBe('accepted');

    await change(chain.offer, { conversionsFrom: [] });
    const again = await desk.owner.post<{ outcome: string }>(`/postbacks-in/${kept.id}/reprocess`, {});
    expect(again.body.outcome).toBe('accepted');
    expect((await of(chain)).map((c) => c.payoutMicros).sort()).toEqual(['120000', '9000000']);
    // What is booked stays when the truth moves: judging again takes nothing back.
    await change(chain.offer, { conversionsFrom: [{ eventTypeId: type.id, channel: 'file' }] });
    await desk.owner.post(`/postbacks-in/${kept.id}/reprocess`, {});
    expect(await of(chain)).toHaveLength(2);
  });

  it('is said once for each event type, of those on this desk', async () => {
    const chain = await desk.chain();
    const put = (conversionsFrom: object[]) =>
      desk.owner.put<Problem>(`/parts/offer/${chain.offer.id}`, {
        version: chain.offer.version,
        body: { ...chain.offer.body, conversionsFrom },
      });
    const nowhere = await put([{ eventTypeId: '01M00000000000000000000000', channel: 'feed' }]);
    expect([nowhere.status, nowhere.body.fields?.[0]?.path]).toEqual([422, 'conversionsFrom.0.eventTypeId']);
    const twice = await put([
      { eventTypeId: 'x', channel: 'feed' },
      { eventTypeId: 'x', channel: 'file' },
    ]);
    expect(twice.status).toBe(422);
  });
});

it('when each part was last met is told, and a part that nobody met is not', async () => {
  const chain = await desk.chain();
  const idle = await desk.chain();
  const click = await chain.send();
  await desk.say(chain.network.key, `click_id=${click}&payout=1&currency=EUR`);
  const { rows } = (await desk.owner.get<{ rows: { id: string; at: string }[] }>('/parts-seen')).body;
  const seen = new Map(rows.map((r) => [r.id, r.at]));
  for (const part of [chain.campaign, chain.source, chain.offer, chain.network])
    expect([part.kind, Math.abs(Date.now() - Date.parse(seen.get(part.id) ?? '')) < 60_000]).toEqual([
      part.kind,
      true,
    ]);
  expect(seen.has(idle.offer.id)).toBe(false);
});
