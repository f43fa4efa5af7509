/** Test visits and conversions by the real endpoints, what is seen of a campaign, and what travelled with one visit. */
import { createServer, type Server } from 'node:http';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type {
  CampaignLive,
  CampaignReport,
  Figures,
  FoundThings,
  LiveTestAnswer,
  PartRecord,
  Problem,
  TestConversionAnswer,
  TestVisitAnswer,
  VisitTrail,
} from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
let source: Server;
const told: string[] = [];
beforeAll(async () => {
  desk = await makeDesk();
  const { host, port } = desk.partner('127.0.0.8');
  source = createServer((req, res) => {
    told.push(req.url ?? '');
    res.end('OK');
  });
  await new Promise<void>((ready) => source.listen(port, host, ready));
  chain = await desk.chain({
    source: { postbackUrl: `http://127.0.0.8:${port}/told?uid={source_click_id}&sum={payout}` },
    network: { allowedAddresses: ['192.0.2.1'] },
  });
});
afterAll(async () => {
  await desk.close();
  source.close();
});

const live = async (id = chain.campaign.id): Promise<CampaignLive> =>
  (await desk.owner.get<CampaignLive>(`/campaigns/${id}/live`)).body;
const testVisit = (body: object = {}, id = chain.campaign.id) =>
  desk.owner.post<TestVisitAnswer & Problem>(`/campaigns/${id}/test-visit`, body);
/** The campaign's figures of today, once they are so. */
async function reportOnce(holds: (total: Figures) => boolean): Promise<Figures> {
  const total = async () =>
    (await desk.owner.get<CampaignReport>(`/reports/campaigns/${chain.campaign.id}?period=today`)).body.total;
  await until(async () => holds(await total()), 'the figures');
  return total();
}
const linkOf = async (id: string, body: object = {}): Promise<URL> =>
  new URL((await desk.owner.post<{ url: string }>(`/campaigns/${id}/test-link`, body)).body.url);

describe('a test visit', () => {
  it('comes by the tracking domain as a visitor of a chosen country and device, with chosen sub-IDs', async () => {
    const sent = await testVisit({ country: 'JP', device: 'tablet', values: { site: 'mine.example' } });
    expect([sent.status, sent.body.status]).toEqual([200, 302]);
    expect(sent.body.location).toContain(sent.body.clickId);
    const visit = (await desk.visits()).find((v) => v.id === sent.body.clickId)!;
    expect(visit).toMatchObject({
      isTest: true,
      country: 'JP',
      device: 'tablet',
      isBot: false,
      isRepeat: false,
    });
    expect(visit.subs).toMatchObject({ site: 'mine.example' });
    expect(visit.sourceClickId).toMatch(/^test-/);
  });

  it('shows everywhere and counts nowhere', async () => {
    const report = await reportOnce((total) => total.tests > 0);
    expect([report.visits, report.spentMicros, report.tests > 0]).toEqual([0, '0', true]);
    expect(await live()).toMatchObject({ visits: 0, lastVisit: { isTest: true, country: 'JP' } });
  });

  it('leaves no trace in who is unique: the first real visit after it is', async () => {
    const link = await linkOf(chain.campaign.id);
    await desk.visit(link.pathname + link.search, { 'X-Forwarded-For': '203.0.113.77' });
    await desk.visit(`/v/${chain.campaign.key}?clk=r1`, { 'X-Forwarded-For': '203.0.113.77' });
    const real = (await desk.visits()).find((v) => v.sourceClickId === 'r1')!;
    expect([real.isTest, real.isUnique]).toEqual([false, true]);
  });

  it('needs a link that was signed for this campaign, within its hour; a parameter of the same name is no harm', async () => {
    const link = await linkOf(chain.campaign.id);
    const other = await desk.chain();
    const answers = async (path: string): Promise<[number, string | null]> => {
      const res = await desk.visit(path);
      return [res.status, res.headers.get('tracheon-error')];
    };
    const before = (await desk.visits()).length;
    expect(await answers(`/v/${other.campaign.key}${link.search}`)).toEqual([403, 'test_link_invalid']);
    expect(await answers(`${link.pathname}${link.search}x`)).toEqual([403, 'test_link_invalid']);
    expect((await desk.visits()).length).toBe(before);
    expect((await answers(`/v/${other.campaign.key}?_t=1795600000&clk=z9`))[0]).toBe(302);
    expect((await desk.visits()).find((v) => v.sourceClickId === 'z9')!.isTest).toBe(false);
  });

  it('says so when its campaign sends nobody, and when the tracking domain does not answer', async () => {
    const stopped = await desk.chain();
    await desk.owner.put(`/parts/campaign/${stopped.campaign.id}/state`, { state: 'paused' });
    await until(
      async () => (await desk.visit(`/v/${stopped.campaign.key}`, {}, 'HEAD')).status === 404,
      'the campaign to stop',
    );
    const refused = await testVisit({}, stopped.campaign.id);
    expect([refused.status, refused.body.code]).toEqual([409, 'test_refused']);
    const domain = await desk.owner.post<{ id: string }>('/domains', {
      origin: 'https://go.nowhere.test',
      isDefault: true,
    });
    const away = await testVisit();
    expect([away.status, away.body.code]).toEqual([502, 'tracking_unreachable']);
    expect(away.body.detail).toMatch(/^go\.nowhere\.test: /);
    expect((await desk.owner.remove(`/domains/${domain.body.id}`)).status).toBe(200);
  });
});

describe('a test conversion', () => {
  const fire = (id: string, body: object) =>
    desk.owner.post<TestConversionAnswer & Problem>(`/visits/${id}/test-conversion`, body);

  it('is called in by the network’s own names and words, though our address is not on its list, and books a test', async () => {
    const { clickId } = (await testVisit()).body;
    const fired = await fire(clickId, { payoutMicros: '7500000', status: 'approved', transaction: 'T-1' });
    expect(fired.body.status).toBe(200);
    expect(fired.body.url).toContain(`click_id=${clickId}`);
    expect(fired.body.url).toContain('status=ok');
    await until(
      async () => (await desk.booked()).some((c) => c.clickId === clickId),
      'the test to be booked',
    );
    expect((await desk.booked()).find((c) => c.clickId === clickId)).toMatchObject({
      isTest: true,
      status: 'approved',
      payoutMicros: '7500000',
    });
    const tests = await desk.pool.query<{ n: number }>(
      'SELECT count(*)::int AS n FROM visits WHERE desk_id = $1 AND campaign_id = $2 AND is_test',
      [desk.deskId, chain.campaign.id],
    );
    const total = await reportOnce((of) => of.tests === tests.rows[0]!.n);
    expect([total.conversions, total.earnedMicros]).toEqual([0, '0']);
  });

  it('sends the postback only when that is ticked', async () => {
    const silent = (await testVisit()).body.clickId;
    const spoken = (await testVisit()).body.clickId;
    await fire(silent, { payoutMicros: '1000000', status: 'approved' });
    await fire(spoken, { payoutMicros: '2000000', status: 'approved', reportToSource: true });
    await until(async () => told.some((u) => u.includes('sum=2')), 'the source to be told');
    const trail = async (id: string) => (await desk.owner.get<VisitTrail>(`/visits/${id}/trail`)).body;
    expect((await trail(spoken)).postbacksOut).toHaveLength(1);
    expect((await trail(silent)).postbacksOut).toEqual([]);
    expect(told.some((u) => u.includes('sum=1'))).toBe(false);
  });

  it('is for test visits only', async () => {
    const real = await chain.send('clk=r2');
    const refused = await fire(real, { payoutMicros: '1000000' });
    expect([refused.status, refused.body.code]).toEqual([409, 'no_test']);
    expect((await fire('01M00000000000000000000000', {})).status).toBe(404);
    const viewer = await desk.member('viewer');
    expect((await viewer.post(`/campaigns/${chain.campaign.id}/test-visit`, {})).status).toBe(403);
  });
});

describe('a campaign through a page', () => {
  it('shows each hop in the order in which it happens, for tests and for real visitors', async () => {
    const page = await desk.make<'landing-page'>('landing-page', {
      name: 'Star quiz',
      url: 'https://kits.example/quiz',
      buttons: 2,
    });
    const through = await desk.chain({ campaign: { landingPageId: page.id } });
    const id = through.campaign.id;
    const { clickId } = (await testVisit({}, id)).body;
    expect(await live(id)).toMatchObject({ toPage: 1, buttons: [], lastClick: null, toOffer: 0 });
    const pressed = await desk.owner.post<{ status: number; location: string }>(
      `/visits/${clickId}/test-click`,
      { n: 2 },
    );
    expect([pressed.body.status, pressed.body.location.includes(clickId)]).toEqual([302, true]);
    await until(async () => (await live(id)).lastClick !== null, 'the click to be seen');
    expect(await live(id)).toMatchObject({ buttons: [{ n: 2, visits: 1 }], toOffer: 1, lastClick: { n: 2 } });
    await desk.say(through.network.key, `click_id=${clickId}&payout=4&currency=EUR&status=wait`);
    expect(await live(id)).toMatchObject({
      postbacks: 1,
      conversions: 1,
      lastConversion: { status: 'pending', isTest: true, isReported: false },
      lastPostback: { clickId },
      lastPostbackOut: null,
    });
  });
});

describe('what was seen', () => {
  it('counts unfilled macros with an example, and calls that found no visit', async () => {
    const seen = await desk.chain();
    await seen.send('clk=[click]&site=[site]');
    await seen.send('clk=a1&site=x.example');
    await desk.say(seen.network.key, 'click_id=01M00000000000000000000000&payout=1');
    const facts = await live(seen.campaign.id);
    expect([facts.visits, facts.withSourceClickId]).toEqual([2, 1]);
    expect(facts.unsubstituted.map((u) => [u.parameter, u.count])).toEqual(
      expect.arrayContaining([['clk', 1]]),
    );
    expect(facts.unsubstituted[0]!.rawQuery).toBe('clk=[click]&site=[site]');
    expect(facts).toMatchObject({ unmatched: 1, lastUnmatched: { clickId: '01M00000000000000000000000' } });
  });
});

describe('the trail of a visit', () => {
  it('keeps what travelled, by the offer as it was then, also after it was changed', async () => {
    const own = await desk.chain();
    const clickId = await own.send('clk=mh-7&site=x.example');
    await desk.say(
      own.network.key,
      `click_id=${clickId}&payout=4&currency=EUR&status=wait&transaction=LK-99`,
    );
    await desk.say(own.network.key, `click_id=${clickId}&payout=4&currency=EUR&status=ok&transaction=LK-99`);
    const now = (await desk.owner.get<PartRecord<'offer'>>(`/parts/offer/${own.offer.id}`)).body;
    await desk.owner.put(`/parts/offer/${own.offer.id}`, {
      version: now.version,
      body: { ...now.body, link: 'https://elsewhere.example/o?x={click_id}' },
    });
    const trail = (await desk.owner.get<VisitTrail>(`/visits/${clickId}/trail`)).body;
    expect(trail.offerUrl).toContain(clickId);
    expect(trail.offerUrl).not.toContain('elsewhere');
    expect(trail.postbacksIn.map((c) => c.outcome)).toEqual(['accepted', 'updated']);
    expect(trail.conversions.map((c) => [c.status, c.transaction])).toEqual([['approved', 'LK-99']]);
    expect((await desk.owner.get('/visits/01M00000000000000000000000/trail')).status).toBe(404);
    expect((await desk.owner.get('/visits/7ZZZZZZZZZZZZZZZZZZZZZZZZZ/trail')).status).toBe(404);
  });
});

describe('a text from anywhere', () => {
  const find = async (text: string) =>
    (await desk.owner.get<FoundThings>(`/find?text=${encodeURIComponent(text)}`)).body.rows;

  it('finds a visit by click ID, in a link and alone, by the source’s click ID; a conversion by transaction; a campaign by its link', async () => {
    const own = await desk.chain();
    const clickId = await own.send('clk=mh-find-me');
    await desk.say(own.network.key, `click_id=${clickId}&payout=4&currency=EUR&transaction=TX-FIND`);
    const ids = async (text: string) => (await find(text)).map((r) => `${r.what} ${r.id}`);
    expect(await ids(clickId.toLowerCase())).toEqual([`visit ${clickId}`]);
    expect(await ids(` https://go.larkspur.example/o?aff_ref=${clickId}&x=1 `)).toContain(`visit ${clickId}`);
    expect(await ids('mh-find-me')).toEqual([`visit ${clickId}`]);
    expect(await ids('TX-FIND')).toEqual([`conversion ${clickId}`]);
    expect(await ids(`${desk.tracking}/v/${own.campaign.key}?clk=[click]`)).toContain(
      `campaign ${own.campaign.id}`,
    );
    expect(await ids(`${desk.tracking}/in/${own.network.key}`)).toContain(`network ${own.network.id}`);
  });

  it('finds nothing of what is not on this desk, whatever it is', async () => {
    for (const text of [
      '',
      '%',
      "' OR 1=1",
      'https://x.example/v/qqqqqqqqqqqq',
      '7ZZZZZZZZZZZZZZZZZZZZZZZZZ',
      'x'.repeat(8000),
    ])
      expect([text.slice(0, 20), await find(text)]).toEqual([text.slice(0, 20), []]);
  });
});

describe('a test postback of a network or an offer', () => {
  const test = (kind: 'network' | 'offer', id: string, body: object = {}) =>
    desk.owner.post<LiveTestAnswer & Problem>(`/parts/${kind}/${id}/live-test`, body);

  it('goes to the real endpoint for a test visit that is made when there is none, and is kept as a postback', async () => {
    const own = await desk.chain();
    const { status, body } = await test('offer', own.offer.id, {
      status: 'pending',
      payoutMicros: '12500000',
      transaction: 'LIVE-1',
    });
    expect([status, body.status, JSON.parse(body.answer).outcome]).toEqual([200, 200, 'accepted']);
    expect(body.campaignName).toBe(own.campaign.body.name);
    expect(body.url).toContain(`/in/${own.network.key}?click_id=${body.clickId}`);
    const kept = (await desk.postbacksIn()).find((p) => p.id === body.receiptId)!;
    expect(kept).toMatchObject({ outcome: 'accepted', clickId: body.clickId, networkId: own.network.id });
    const booked = (await desk.booked()).find((c) => c.transaction === 'LIVE-1')!;
    expect(booked).toMatchObject({ isTest: true, status: 'pending', payoutMicros: '12500000' });
    // The next one reports the same visit.
    const again = await test('network', own.network.id, { status: 'approved', transaction: 'LIVE-1' });
    expect(again.body.clickId).toBe(body.clickId);
    expect(JSON.parse(again.body.answer).outcome).toBe('updated');
  });

  it('says that no campaign leads to the offer', async () => {
    const lonely = await desk.make('offer', {
      name: 'Kite without a campaign',
      networkId: chain.network.id,
      link: 'https://go.larkspur.example/o/1?aff_ref={click_id}',
      currency: 'EUR',
    });
    const { status, body } = await test('offer', lonely.id);
    expect([status, body.code, body.detail]).toEqual([
      409,
      'no_test_visit',
      expect.stringContaining('No live campaign'),
    ]);
  });
});
