import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { VisitRow } from '@tracheon/core/contract';
import { clickIdDay } from '@tracheon/core/identity';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { PHONE, until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain();
});
afterAll(() => desk.close());

const one = async (id: string): Promise<VisitRow> => (await desk.owner.get<VisitRow>(`/visits/${id}`)).body;
const link = (query = ''): string => `/v/${chain.campaign.key}?${query}`;

describe('a visit', () => {
  it('is answered 302 to the offer, with our click ID and the sub-IDs in it, and is on disk by then', async () => {
    const res = await desk.visit(link('clk=mh-1&site=kiosk%20nord.example'));
    expect(res.status).toBe(302);
    expect(res.headers.get('cache-control')).toBe('no-store');
    const to = new URL(res.headers.get('location')!);
    expect(to.origin + to.pathname).toBe('https://go.larkspur.example/o/4471');
    expect(to.searchParams.get('src')).toMatch(/^Moorhen Push \d+$/);
    expect(to.searchParams.get('site')).toBe('kiosk nord.example');
    const id = to.searchParams.get('aff_ref')!;
    const { rows } = await desk.pool.query(
      'SELECT raw_query FROM visits WHERE desk_id = $1 AND day = $2 AND id = $3',
      [desk.deskId, clickIdDay(id), id],
    );
    expect(rows).toEqual([{ raw_query: 'clk=mh-1&site=kiosk%20nord.example' }]);
  });

  it('may be sent on by a page instead, which keeps the referrer and needs no script; so may a button click', async () => {
    const page = await desk.make('landing-page', { name: 'Sent on', url: 'https://sent.example/' });
    const byPage = await desk.chain({
      offer: { link: `https://quoted.example/?q="it's"&a={sub_site}` },
      campaign: { sendBy: 'page' },
    });
    const res = await desk.visit(`/v/${byPage.campaign.key}?clk=q&site=%22%3E%3Cscript%3E`);
    const html = await res.text();
    expect([res.status, res.headers.get('referrer-policy'), res.headers.get('cache-control')]).toEqual([
      200,
      'no-referrer',
      'no-store',
    ]);
    expect(res.headers.get('content-security-policy')).toContain("default-src 'none'");
    expect(res.headers.getSetCookie()).toHaveLength(2);
    const to = /http-equiv="refresh" content="0;url=([^"]+)"/
      .exec(html)![1]!
      .replace(/&#(\d+);/g, (_, code: string) => String.fromCharCode(Number(code)));
    expect([to, new URL(to).host]).toEqual([res.headers.get('location'), 'quoted.example']);
    expect(html).not.toMatch(/<script|javascript:/);
    // Reached from another campaign's page it is that campaign which decides.
    const paged = await desk.chain({ campaign: { landingPageId: page.id, sendBy: 'page' } });
    const id = await paged.send('clk=p');
    const pressed = await desk.visit(`/b/${page.key}/1?click_id=${id}`);
    expect([pressed.status, await pressed.text()]).toEqual([200, expect.stringContaining('no-referrer')]);
  });

  it('knows country, device, system, browser, language, referrer, cost, sub-IDs and the source’s click ID', async () => {
    const id = await chain.send('clk=mh-2&pub=pub.example&title=a+b%2Bc&bid=0.0310', {
      'X-Forwarded-For': '145.53.10.20',
      'Accept-Language': 'nl-NL,nl;q=0.9',
      Referer: 'https://tuinpraat.example/kas?x=1',
    });
    expect(await one(id)).toMatchObject({
      country: 'NL',
      device: 'phone',
      os: 'Android',
      browser: 'Chrome',
      language: 'nl',
      referrerHost: 'tuinpraat.example',
      sourceClickId: 'mh-2',
      // A plus sign is a space in sub-IDs; `pub` feeds the same name as the absent `site`.
      subs: { site: 'pub.example', title: 'a b+c' },
      costMicros: '31000',
      costCurrency: 'EUR',
      isBot: false,
      isRepeat: false,
    });
    const { rows } = await desk.pool.query('SELECT address_prefix FROM visits WHERE id = $1', [id]);
    expect(rows[0].address_prefix).toBe('145.53.10.0/24');
    const whole = await desk.pool.query(
      'SELECT address, user_agent FROM visit_addresses WHERE visit_id = $1',
      [id],
    );
    expect(whole.rows[0]).toEqual({ address: '145.53.10.20', user_agent: PHONE });
  });

  it.each([
    ['bid=0', '0', []],
    ['bid=-', null, ['no_cost']],
    ['bid=1,234', null, ['unreadable_cost']],
    ['bid=%5Bcost%5D', null, ['unsubstituted:bid', 'no_cost']],
    ['', null, ['no_cost']],
  ])('reads the cost of %j as %s', async (query, cost, notes) => {
    const v = await one(await chain.send(query));
    expect([v.costMicros, v.notes]).toEqual([cost, notes]);
  });

  it('tells an unfilled macro, once or twice encoded, from a value', async () => {
    const v = await one(await chain.send('clk=[click]&site=%255Bsite%255D&title=null'));
    expect([v.sourceClickId, v.subs]).toEqual(['', {}]);
    expect(v.notes).toEqual(expect.arrayContaining(['unsubstituted:clk', 'unsubstituted:site']));
  });

  it('keeps the first of a repeated parameter, cleans NUL and broken encodings, and cuts at 512 bytes', async () => {
    const v = await one(await chain.send(`site=a&site=b&title=${'é'.repeat(400)}%00&clk=100%25%zz`));
    expect(v.subs.site).toBe('a');
    expect(Buffer.byteLength(v.subs.title!)).toBe(512);
    expect(v.sourceClickId).toBe('100%%zz');
    expect(v.notes).toEqual(expect.arrayContaining(['repeated:site', 'cut:title', 'replaced_characters']));
  });

  it('takes prototype names as names', async () => {
    expect((await desk.visit(link('__proto__=1&constructor=2&site=x'))).status).toBe(302);
  });

  it('marks bots, answers them alike', async () => {
    const id = await chain.send('', { 'User-Agent': 'PracticeCrawler/1.0 (+http://crawler.example/bot)' });
    expect((await one(id)).isBot).toBe(true);
    expect((await one(await chain.send('', { 'User-Agent': '' }))).isBot).toBe(true);
  });

  it('is a repeat at no cost when the source’s click ID comes again within a day', async () => {
    const first = await one(await chain.send('clk=again&bid=0.5'));
    const second = await one(await chain.send('clk=again&bid=0.5'));
    expect([first.isRepeat, first.costMicros]).toEqual([false, '500000']);
    expect([second.isRepeat, second.costMicros]).toEqual([true, '0']);
  });

  it('is unique by cookie, else by address and agent', async () => {
    const from = { 'X-Forwarded-For': '81.82.3.4' };
    expect((await one(await chain.send('', from))).isUnique).toBe(true);
    expect((await one(await chain.send('', from))).isUnique).toBe(false);
    const res = await desk.visit(link(), { 'X-Forwarded-For': '81.82.3.5' });
    const cookie = res.headers.get('set-cookie')!;
    expect(cookie).toMatch(/HttpOnly; SameSite=Lax/);
    const back = await chain.send('', { 'X-Forwarded-For': '80.62.9.9', Cookie: cookie.split(';')[0]! });
    expect((await one(back)).isUnique).toBe(false);
  });
});

describe('what is no visit', () => {
  const count = async (): Promise<number> => (await desk.visits()).length;
  it('HEAD is answered alike and leaves no mark', async () => {
    const before = await count();
    const res = await desk.visit(link('clk=head-1'), {}, 'HEAD');
    expect([res.status, res.headers.has('location')]).toEqual([302, true]);
    expect(await count()).toBe(before);
    expect((await one(await chain.send('clk=head-1'))).isRepeat).toBe(false);
  });
  it.each([{ 'Sec-Purpose': 'prefetch;prerender' }, { Purpose: 'prefetch' }])(
    'a prefetch %j is asked to come again',
    async (headers) => {
      const before = await count();
      const res = await desk.visit(link(), headers as unknown as Record<string, string>);
      expect([res.status, res.headers.get('tracheon-error'), res.headers.get('cache-control')]).toEqual([
        503,
        'not_a_visit',
        'no-store',
      ]);
      expect(await count()).toBe(before);
    },
  );
  it('POST is refused', async () => {
    const res = await desk.visit(link(), {}, 'POST');
    expect([res.status, res.headers.get('allow')]).toEqual([405, 'GET, HEAD']);
  });
  it.each(['/v/nosuchkey123', '/v/', '/v/%00', '/v/__proto__', '/else'])(
    '%s is not found, in words',
    async (path) => {
      const res = await desk.visit(path);
      expect([res.status, res.headers.get('tracheon-error')]).toEqual([404, 'unknown_campaign_key']);
      expect(await res.text()).toMatch(/No campaign has/);
    },
  );
  it('unknown keys are counted', async () => {
    await desk.visit('/v/lostkey', { 'X-Forwarded-For': '145.53.1.1' });
    await until(
      async () =>
        (await desk.pool.query(`SELECT 1 FROM unknown_keys WHERE key = 'lostkey' AND last_country = 'NL'`))
          .rows.length === 1,
      'the key to be counted',
      8000,
    );
  });
  it('ten thousand parameters: refused in words in a link, bounded where they fit', async () => {
    const long = await desk.visit(link(Array.from({ length: 10_000 }, (_, i) => `p${i}=1`).join('&')));
    expect([long.status, long.headers.get('tracheon-error')]).toEqual([431, 'headers_too_large']);
    const v = await one(await chain.send(Array.from({ length: 1000 }, (_, i) => `q${i}=1`).join('&')));
    expect(v.notes).toContain('too_many_parameters');
  });
});

describe('a campaign', () => {
  it('that is stopped sends nobody, and goes live again within a second', async () => {
    const c = await desk.chain();
    const state = (s: string) => desk.owner.put(`/parts/campaign/${c.campaign.id}/state`, { state: s });
    await state('paused');
    await until(
      async () => (await desk.visit(`/v/${c.campaign.key}`)).status === 404,
      'the stop to be live',
      1000,
    );
    const res = await desk.visit(`/v/${c.campaign.key}`);
    expect([res.headers.get('tracheon-error'), await res.text()]).toEqual([
      'campaign_paused',
      'This link is not active.',
    ]);
    await state('live');
    await until(
      async () => (await desk.visit(`/v/${c.campaign.key}`)).status === 302,
      'it to be live again',
      1000,
    );
  });

  it('sends by the changed offer within a second', async () => {
    const c = await desk.chain();
    const body = { ...c.offer.body, link: 'https://new.larkspur.example/?x={click_id}' };
    const saved = await desk.owner.put(`/parts/offer/${c.offer.id}`, { version: 1, body });
    expect(saved.status).toBe(200);
    await until(
      async () =>
        (await desk.visit(`/v/${c.campaign.key}`)).headers
          .get('location')!
          .startsWith('https://new.larkspur.example/?x=0'),
      'the new link',
      1000,
    );
  });

  it('never sends to another host, whatever a sub-ID holds', async () => {
    const c = await desk.chain({ offer: { link: 'https://go.larkspur.example/{+sub_site}?a={click_id}' } });
    for (const evil of [
      '//evil.example',
      '/\\evil.example',
      '@evil.example',
      '..//evil.example/%0d%0aSet-Cookie:x=1',
      '\u00e9\u4e2d',
    ]) {
      const res = await desk.visit(`/v/${c.campaign.key}?site=${encodeURIComponent(evil)}`);
      expect(res.status).toBe(302);
      const location = res.headers.get('location')!;
      expect(new URL(location).host).toBe('go.larkspur.example');
      expect(location).toMatch(/^[\x21-\x7e]+$/);
    }
    // A token that touches the host is refused before it could be tried.
    const touching = { link: 'https://go.larkspur.example{+sub_site}?a={click_id}' };
    await expect(desk.chain({ offer: touching })).rejects.toThrow(/422.*host name can’t contain tokens/);
  });
});
