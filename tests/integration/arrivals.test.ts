/** Pages without redirects: the page's script registers the visit, and its buttons find it again. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { PartRecord, WholeVisit } from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, untilLive, type Chain } from './testDesk.ts';

const PAGE = 'https://gifts.example';
let desk: SharedDesk;
let chain: Chain;
let page: PartRecord<'landing-page'>;
/** Half of its visitors are sent to the page, the others straight on. */
let campaign: PartRecord<'campaign'>;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain({ offer: { link: 'https://offer.example/' } });
  page = await desk.make('landing-page', { name: 'Gifts', url: `${PAGE}/quiz`, buttons: 2 });
  campaign = await desk.make('campaign', {
    ...chain.campaign.body,
    name: 'Social',
    offerId: '',
    routing: {
      branches: [
        {
          id: 'kiosk',
          name: 'Kiosks',
          when: { on: 'sub_site', op: 'is', values: ['kiosk'] },
          pairings: [{ id: 'k', landingPageId: page.id, offerIds: [chain.offer.id] }],
        },
      ],
      otherwise: {
        pairings: [
          { id: 'direct', offerIds: [chain.offer.id], weight: 1000 },
          { id: 'paged', landingPageId: page.id, offerIds: [chain.offer.id] },
        ],
      },
    },
  });
  await untilLive(desk, campaign.key);
});
afterAll(() => desk.close());

const arrive = (keys: string, query: string, headers: Record<string, string> = {}) =>
  desk.visit(`/arrive/${keys}?${query}`, { Origin: PAGE, ...headers });
const own = (): string => `${campaign.key}/${page.key}`;
interface Answer {
  click_id: string;
  _c: string;
}
async function arrived(query: string, headers: Record<string, string> = {}): Promise<Answer> {
  const res = await arrive(own(), query, headers);
  expect(res.status).toBe(200);
  return (await res.json()) as Answer;
}
async function visitOf(id: string): Promise<WholeVisit> {
  await until(async () => (await desk.owner.get(`/visits/${id}`)).status === 200, 'the visit');
  return (await desk.owner.get<WholeVisit>(`/visits/${id}`)).body;
}
const valueOf = (visit: WholeVisit, name: string): string | undefined =>
  visit.dimensions.find((d) => d.name === name)?.value;

describe('a visit that the page’s script registers', () => {
  it('has what the source told in the page’s address, the page, the branch, and the referrer; its button and its conversion follow', async () => {
    const { click_id: id, _c } = await arrived(
      'clk=s1&site=kiosk&bid=0.03&_r=https%3A%2F%2Ftuinpraat.example%2Fa%3Fb%3Dc',
    );
    const visit = await visitOf(id);
    expect(visit).toMatchObject({ sourceClickId: 's1', subs: { site: 'kiosk' }, landingId: page.id });
    expect(['branch_id', 'pairing_id', 'referrer_host', 'landing_id'].map((n) => valueOf(visit, n))).toEqual([
      'Kiosks',
      'k',
      'tuinpraat.example',
      'Gifts',
    ]);
    expect(visit.notes).toContain('page_script');
    expect(visit.notes).not.toContain('other_page');
    const pressed = await desk.visit(`/b/${page.key}/2?click_id=${id}&_c=${_c}`);
    const to = new URL(pressed.headers.get('location')!);
    expect([to.host, to.searchParams.get('aff_ref')]).toEqual(['offer.example', id]);
    expect((await desk.say(chain.network.key, `click_id=${id}&payout=4`)).outcome).toBe('accepted');
  });

  it('stays on its page: pairings without it are never drawn', async () => {
    for (let n = 0; n < 10; n++) {
      const visit = await visitOf((await arrived(`clk=p${n}`)).click_id);
      expect(valueOf(visit, 'pairing_id')).toBe('paged');
    }
  });

  it('may be read by the page, and sets the cookies of a redirect', async () => {
    const res = await arrive(own(), 'clk=c1');
    expect(
      ['access-control-allow-origin', 'access-control-allow-credentials', 'cache-control'].map((h) =>
        res.headers.get(h),
      ),
    ).toEqual([PAGE, 'true', 'no-store']);
    const cookies = res.headers.getSetCookie();
    expect(cookies.map((c) => c.split('=')[0])).toEqual([`v_${campaign.key}`, 'last_visits']);
    const again = await arrived('clk=c2', { Cookie: cookies.map((c) => c.split(';')[0]).join('; ') });
    expect((await visitOf(again.click_id)).isUnique).toBe(false);
    // By the cookie alone, on a page whose links could not be marked.
    const pressed = await desk.visit(`/b/${page.key}/1`, {
      Cookie: cookies.map((c) => c.split(';')[0]).join('; '),
    });
    expect(pressed.status).toBe(302);
  });

  it('is a repeat when the same click of the source registers twice, and flagged from another page', async () => {
    const first = await arrived('clk=twice');
    const second = await arrived('clk=twice', { Origin: 'https://builder.example' });
    expect(second.click_id).not.toBe(first.click_id);
    const visit = await visitOf(second.click_id);
    expect([visit.isRepeat, visit.notes.includes('other_page')]).toEqual([true, true]);
    expect(
      (await visitOf((await arrived('clk=www', { Origin: 'https://www.gifts.example' })).click_id)).notes,
    ).not.toContain('other_page');
  });

  it('is a test by a signed link', async () => {
    const { url } = (
      await desk.owner.post<{ url: string }>(`/campaigns/${campaign.id}/test-link`, { country: 'NL' })
    ).body;
    const { click_id: id } = await arrived(new URL(url).search.slice(1));
    expect(await visitOf(id)).toMatchObject({ isTest: true, country: 'NL' });
  });
});

describe('nothing is registered', () => {
  const count = async (): Promise<number> => (await desk.visits()).length;
  it.each([
    ['of a campaign without this page', () => `${chain.campaign.key}/${page.key}`, 'page_not_in_campaign'],
    ['without a page', () => campaign.key, 'page_not_in_campaign'],
    ['of no campaign', () => `nobody/${page.key}`, 'unknown_campaign_key'],
  ] as const)('%s', async (_what, keys, code) => {
    const before = await count();
    const res = await arrive(keys(), 'clk=x');
    expect([
      res.status,
      res.headers.get('tracheon-error'),
      res.headers.get('access-control-allow-origin'),
    ]).toEqual([404, code, PAGE]);
    expect(await count()).toBe(before);
  });
  it('by a prefetch, another method, or a test link that was changed', async () => {
    const before = await count();
    expect((await arrive(own(), '', { 'Sec-Purpose': 'prefetch' })).status).toBe(503);
    expect((await desk.visit(`/arrive/${own()}`, { Origin: PAGE }, 'POST')).status).toBe(405);
    const { url } = (
      await desk.owner.post<{ url: string }>(`/campaigns/${campaign.id}/test-link`, { country: 'NL' })
    ).body;
    const changed = new URL(url).search.slice(1).replace(/NL/, 'BE');
    const refused = await arrive(own(), changed);
    expect([changed.includes('BE'), refused.headers.get('tracheon-error')]).toEqual([
      true,
      'test_link_invalid',
    ]);
    expect(await count()).toBe(before);
  });
  it('while a broken percent sign and a huge referrer cost nothing', async () => {
    const { click_id: id } = await arrived(`clk=odd&site=%E0%A4%A&_r=${'%zz'.repeat(3000)}`);
    expect(valueOf(await visitOf(id), 'referrer_host')).toBeUndefined();
  });
});
