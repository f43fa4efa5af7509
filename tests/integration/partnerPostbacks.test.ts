/** Partners are told of their conversions: what, when, in which order, and nothing that is the desk's or the advertiser's. */
import { createServer, type IncomingMessage, type Server } from 'node:http';
import { afterAll, afterEach, beforeAll, expect, it } from '@jest/globals';
import type { PartRecord, PostbackOfPartner, PostbackOutRow, Problem } from '@tracheon/core/contract';
import type { PartnerPostbackInput, SentToPartner } from '@tracheon/core/contract/partnerPage';
import type { ApiClient } from './apiClient.ts';
import { person } from './partnerPeople.ts';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let server: Server;
let origin: string;
let heard: { url: string; key: string }[] = [];
let answers: number[] = [];
let saleId: string;
beforeAll(async () => {
  desk = await makeDesk();
  server = createServer((req: IncomingMessage, res) => {
    heard.push({ url: req.url!, key: String(req.headers['idempotency-key'] ?? '') });
    res.writeHead(answers.shift() ?? 200).end('x');
  });
  const { host, port } = desk.partner('127.0.0.8');
  await new Promise<void>((resolve) => server.listen(port, host, resolve));
  origin = `http://${host}:${port}`;
  const { rows } = await desk.pool.query<{ id: string }>(
    `SELECT id FROM parts WHERE desk_id = $1 AND kind = 'event-type'`,
    [desk.deskId],
  );
  saleId = rows[0]!.id;
});
afterAll(async () => {
  await desk.close();
  server.close();
});
afterEach(() => {
  heard = [];
  answers = [];
});

let serial = 0;
interface Scene {
  partner: PartRecord<'partner'>;
  client: ApiClient;
  chain: Chain;
  clickId: string;
  book: (query: string) => Promise<unknown>;
  sent: () => Promise<SentToPartner[]>;
}
async function scene(
  postback: Partial<PartnerPostbackInput>,
  more: { payable?: object; source?: object; visit?: string } = {},
): Promise<Scene> {
  const partner = await desk.make('partner', { name: `Bittern ${++serial}` });
  const client = await person(desk, partner);
  if (postback.url !== undefined) {
    const saved = await client.put<PartnerPostbackInput>('/postback', postback);
    expect(saved.status).toBe(200);
  }
  const chain = await desk.chain({
    network: { relation: 'direct' },
    source: more.source ?? {},
    offer: {
      currency: 'EUR',
      partnerPayouts: [{ eventTypeId: saleId, pays: 'fixed', amountMicros: '6000000', ...more.payable }],
    },
  });
  const clickId = await chain.send(more.visit ?? `clk=p%26q&site=owls&partner=${partner.id}`);
  const transaction = `SECRET${++serial}`;
  return {
    partner,
    client,
    chain,
    clickId,
    book: (query) =>
      desk.say(chain.network.key, `click_id=${clickId}&transaction=${transaction}&payout=10&${query}`),
    sent: async () => (await client.get<{ sent: SentToPartner[] }>('/postback')).body.sent,
  };
}
const delivered = (s: Scene, n: number): Promise<void> =>
  until(async () => (await s.sent()).filter((r) => r.state === 'delivered').length === n, `${n} postbacks`);

it('tells the partner its own click ID, sub-ID and payout, each status once, in order; nothing of the advertiser', async () => {
  const s = await scene({
    url: `${origin}/p?c={source_click_id}&site={partner_sub_site}&pay={partner_payout}&cur={partner_payout_currency}&s={status}&was={status_before}&e={event}&o={offer_name}`,
  });
  await s.book('status=wait');
  await delivered(s, 1);
  await s.book('status=ok');
  await s.book('status=ok');
  await delivered(s, 2);
  await s.book('status=back');
  await delivered(s, 3);
  const offer = encodeURIComponent(s.chain.offer.body.name);
  const url = (status: string, before: string): string =>
    `/p?c=p%26q&site=owls&pay=6.00&cur=EUR&s=${status}&was=${before}&e=sale&o=${offer}`;
  expect(heard.map((h) => h.url)).toEqual([
    url('pending', ''),
    url('approved', 'pending'),
    url('rejected', 'approved'),
  ]);
  expect(new Set(heard.map((h) => h.key)).size).toBe(3);
  expect(JSON.stringify([heard, await s.sent()])).not.toMatch(/SECRET|10\.00/);
  // The desk sees what the partner has set, and who of it.
  const set = await desk.owner.get<{ postback: PostbackOfPartner | null }>(
    `/partners/${s.partner.id}/postback`,
  );
  expect(set.body.postback).toMatchObject({
    method: 'get',
    changedBy: 'Ines',
    statuses: ['pending', 'approved', 'rejected'],
  });
  expect(set.body.postback!.url).toContain('pay={partner_payout}');
  const other = await desk.make('partner', { name: `Bittern ${++serial}` });
  expect((await desk.owner.get(`/partners/${other.id}/postback`)).body).toEqual({ postback: null });
  expect((await desk.owner.get(`/partners/${s.chain.offer.id}/postback`)).status).toBe(404);
  // The desk sees them among its postbacks out, under the partner's name.
  const rows = await desk.list<PostbackOutRow>(`/postbacks-out?campaign=${s.chain.campaign.id}`);
  expect(rows.map((r) => [r.sourceName, r.isPartner])).toEqual(
    [1, 2, 3].map(() => [s.partner.body.name, true]),
  );
});

it('goes by the payout, not by the revenue: a review tells it, and the source is told on its own', async () => {
  const s = await scene(
    { url: `${origin}/own?s={status}`, statuses: ['approved', 'rejected'] },
    {
      payable: { approval: 'member' },
      source: { postbackUrl: `${origin}/source?s={status}`, reportStatuses: ['approved'] },
    },
  );
  await s.book('status=ok');
  await until(async () => heard.length === 1, 'the source to be told');
  const { rows } = await desk.pool.query<{ id: string }>(
    'SELECT id FROM conversions WHERE desk_id = $1 AND owner = $2',
    [desk.deskId, s.clickId],
  );
  const review = (decision: string) =>
    desk.owner.post('/conversions/review-payouts', { ids: [rows[0]!.id], decision, reason: 'looked at' });
  expect((await review('approved')).status).toBe(200);
  await delivered(s, 1);
  expect((await review('rejected')).status).toBe(200);
  await delivered(s, 2);
  expect(heard.map((h) => h.url)).toEqual(['/source?s=approved', '/own?s=approved', '/own?s=rejected']);
});

it('is not told of what pays it nothing, nor of anything while it has no URL', async () => {
  const silent = await scene({});
  await silent.book('status=ok');
  expect(await silent.sent()).toEqual([]);
  const unpaid = await scene({ url: `${origin}/none` });
  await desk.make('event-type', { name: `Trial ${serial}`, word: `trial${serial}` });
  await unpaid.book(`status=ok&event=trial${serial}`);
  expect(await unpaid.sent()).toEqual([]);
  // A removed URL takes back what has not left yet.
  answers = [503];
  const s = await scene({ url: `${origin}/later?s={status}` });
  await s.book('status=wait');
  await until(async () => (await s.sent())[0]?.result === 'answered 503', 'the first try');
  await s.client.put('/postback', { url: '' });
  await s.book('status=ok');
  expect((await s.sent()).map((r) => r.status)).toEqual(['pending']);
  expect(heard.map((h) => h.url)).toEqual(['/later?s=pending']);
  // It is tried again for a day, and must not come into the next test.
  await desk.pool.query(`UPDATE outbox SET state = 'gave_up' WHERE destination_id = $1`, [s.partner.id]);
});

it('refuses URLs that can’t be called, tokens that are not the partner’s, and addresses that are not public', async () => {
  const s = await scene({});
  for (const url of [
    'javascript:alert(1)',
    'https://{partner_sub_site}.example/p',
    'https://own.example/p?t={transaction}',
    'https://own.example/p?pay={payout}',
    'https://own.example/p?click={click_id}',
  ]) {
    const { status, body } = await s.client.put<Problem>('/postback', { url });
    expect([url, status, body.fields?.[0]?.path]).toEqual([url, 422, 'url']);
  }
  expect((await s.client.put<Problem>('/postback', { url: `${origin}/p`, statuses: [] })).status).toBe(422);
  const inside = await s.client.post<{ isTaken: boolean; says: string }>('/postback/test', {
    url: 'http://127.0.0.1:1/admin',
  });
  expect(inside.body).toMatchObject({ isTaken: false, says: expect.stringContaining('not public') });
  const own = await s.client.post<{ isTaken: boolean }>('/postback/test', {
    url: `${desk.partnerPage}/api/me`,
  });
  expect(own.body.isTaken).toBe(false);
});

it('a test calls once with made-up values, says what came back, and can’t be used to knock without end', async () => {
  const s = await scene({});
  const test = (path: string) =>
    s.client.post<{ url: string; isTaken: boolean; says: string }>('/postback/test', { url: origin + path });
  expect((await test('/t?c={source_click_id}&p={partner_payout}&x={partner_sub_site}')).body).toMatchObject({
    url: `${origin}/t?c=test-click-id&p=1.00&x=test`,
    isTaken: true,
  });
  answers = [404];
  expect((await test('/t')).body).toMatchObject({ isTaken: false, says: expect.stringContaining('404') });
  // What an earlier test left to be tried again may come meanwhile.
  const tried = (): number => heard.filter((h) => h.url.startsWith('/t')).length;
  expect(tried()).toBe(2);
  for (let i = 0; i < 4; i++) await test('/t');
  expect((await test('/t')).status).toBe(429);
  expect(tried()).toBe(6);
});

it('as a pixel it waits for the thank-you page, and is placed there once', async () => {
  const s = await scene({ method: 'pixel', url: `${origin}/px?c={source_click_id}&s={status}` });
  const page = async (): Promise<string> => {
    const query = `click_id=${s.clickId}&transaction=PX&payout=10&status=ok`;
    return (await fetch(`${desk.tracking}/in/${s.chain.network.key}.html?${query}`)).text();
  };
  let first = await page();
  // On a busy machine it is booked a moment later, and the page that is opened again has it.
  await until(async () => (await s.sent()).length === 1, 'the image');
  if (!first.includes('<img')) first = await page();
  expect(first).toContain(`<img src="${origin}/px?c=p%26q&#38;s=approved"`);
  expect(await page()).not.toContain('/px?');
  expect((await s.sent()).map((r) => r.state)).toEqual(['delivered']);
});

it('one partner sees nothing of another’s postbacks', async () => {
  const s = await scene({ url: `${origin}/mine` });
  await s.book('status=ok');
  await delivered(s, 1);
  const other = await scene({});
  const { body } = await other.client.get<{ postback: PartnerPostbackInput; sent: SentToPartner[] }>(
    '/postback',
  );
  expect([body.postback.url, body.sent]).toEqual(['', []]);
});
