/** *Follow for real*: the tracking link walked to the last page, with what each hop did to the values. */
import { createServer, type Server } from 'node:http';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { CampaignReport, FollowAnswer, PartRecord } from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, untilLive, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
let partner: Server;
let at: string;
beforeAll(async () => {
  desk = await makeDesk();
  const { host, port } = desk.partner('127.0.0.9');
  at = `http://${host}:${port}`;
  partner = createServer((req, res) => {
    const url = new URL(req.url!, at);
    const to = (where: string) => res.writeHead(302, { Location: where }).end();
    const html = (text: string, status = 200) =>
      res.writeHead(status, { 'Content-Type': 'text/html' }).end(text);
    const ref = url.searchParams.get('aff_ref') ?? '';
    if (url.pathname === '/o') return to(`/step?click=${ref}&x=1`);
    if (url.pathname === '/step')
      return html(
        `<meta http-equiv="refresh" content="0; url=/shop?x=1&amp;c=${url.searchParams.get('click')}">`,
      );
    if (url.pathname === '/circle') return to(`/circle?n=${Math.random()}`);
    if (url.pathname === '/home') return to(`${desk.tracking}/v/anything`);
    if (url.pathname === '/private') return to('http://127.0.0.1:1/secret');
    if (url.pathname === '/gone') return html('gone', 404);
    return html('<h1>Terrarium box</h1>');
  });
  await new Promise<void>((ready) => partner.listen(port, host, ready));
  chain = await desk.chain({ offer: { link: `${at}/o?site={sub_site}` } });
});
afterAll(async () => {
  partner.close();
  partner.closeAllConnections();
  await desk.close();
});
const follow = async (body: object = {}, id = chain.campaign.id): Promise<FollowAnswer> => {
  const { status, body: answer } = await desk.owner.post<FollowAnswer>(`/campaigns/${id}/follow`, body);
  expect(status).toBe(200);
  return answer;
};
const withLink = async (link: string): Promise<PartRecord<'campaign'>> => {
  const name = `Offer at ${link.slice(-8)}`;
  const offer = await desk.make('offer', { ...chain.offer.body, name, link });
  const campaign = await desk.make('campaign', { ...chain.campaign.body, name, offerId: offer.id });
  await untilLive(desk, campaign.key);
  return campaign;
};

describe('following for real', () => {
  it('goes by redirects and by pages that forward, and says what became of each value', async () => {
    const { clickId, fate, offerId, legs } = await follow({
      country: 'NL',
      values: { site: 'mine.example' },
    });
    expect([fate, offerId]).toEqual(['sent', chain.offer.id]);
    const [leg] = legs;
    expect(leg).toMatchObject({
      button: 0,
      isFound: true,
      sentence: 'The last page is there: it answers 200.',
    });
    expect(leg!.hops.map((h) => [new URL(h.url).pathname, h.way, h.status])).toEqual([
      ['/o', 'redirect', 302],
      ['/step', 'refresh', 200],
      ['/shop', 'end', 200],
    ]);
    expect(leg!.hops[0]!.changes).toEqual([
      { name: 'site', value: 'mine.example', what: 'dropped', to: '' },
      { name: 'aff_ref', value: clickId, what: 'moved', to: 'click' },
    ]);
    expect(leg!.hops[1]!.changes).toEqual([{ name: 'click', value: clickId, what: 'moved', to: 'c' }]);
    const total = async () =>
      (await desk.owner.get<CampaignReport>(`/reports/campaigns/${chain.campaign.id}?period=today`)).body
        .total;
    await until(async () => (await total()).tests > 0, 'the figures');
    const { visits, tests } = await total();
    expect([visits, tests]).toEqual([0, 1]);
  });
  it('goes on from a landing page by its first button', async () => {
    const page = await desk.make('landing-page', { name: 'Story', url: `${at}/story` });
    const campaign = await desk.make('campaign', {
      ...chain.campaign.body,
      name: 'By the story',
      landingPageId: page.id,
    });
    await untilLive(desk, campaign.key);
    const { legs } = await follow({}, campaign.id);
    expect(legs.map((l) => [l.button, new URL(l.hops[0]!.url).pathname, l.isFound])).toEqual([
      [0, '/story', true],
      [1, '/o', true],
    ]);
    expect(legs[1]!.from).toContain(`/b/${page.key}/1?click_id=`);
  });
  it.each([
    ['/gone', false, 'The last page is missing: it answers 404.'],
    ['/circle', false, 'The way doesn’t end within 10 hops.'],
    ['/home', false, 'The way leads back to your own tracking domain.'],
    ['/private', false, 'The last address doesn’t answer: 127.0.0.1 is a private address.'],
  ])('to %s says what is wrong', async (path, isFound, sentence) => {
    const { legs } = await follow({}, (await withLink(`${at}${path}`)).id);
    expect(legs[0]).toMatchObject({ isFound, sentence });
  });
  it('is not for viewers, and not for other desks', async () => {
    expect(
      (await (await desk.member('viewer')).post(`/campaigns/${chain.campaign.id}/follow`, {})).status,
    ).toBe(403);
    const other = await makeDesk();
    expect((await other.owner.post(`/campaigns/${chain.campaign.id}/follow`, {})).status).toBe(404);
    await other.close();
  });
});
