/** Landing pages: from the visit to the page, from its buttons to the offer, and the figures of both. */
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { gzipSync } from 'node:zlib';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { pino } from 'pino';
import type { CampaignReport, PageCheck, PartRecord, WholeVisit } from '@tracheon/core/contract';
import { startServer } from '../../server/app/startServer.ts';
import { parseConfig } from '../../server/config/config.ts';
import { CONNECT_TIMEOUT_MS } from '../../server/db/pools.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { SECRET } from './testDesk.ts';
import { PHONE, until, type Chain } from './testDesk.ts';

const folder = mkdtempSync(join(tmpdir(), 'tracheon-buttons-'));
let pages: Server;
let origin: string;
interface Served {
  status?: number;
  headers?: Record<string, string>;
  body?: string | Buffer;
}
/** Also before a test says what: the server looks at pages by itself. */
let served: (url: string) => Served | null = () => ({});
let desk: OwnDesk;
let chain: Chain;
let page: PartRecord<'landing-page'>;

beforeAll(async () => {
  pages = createServer((req, res) => {
    const answer = served(req.url ?? '/');
    if (answer === null) return;
    res.writeHead(answer.status ?? 200, { 'Content-Type': 'text/html', ...answer.headers });
    res.end(answer.body ?? '');
  });
  await new Promise<void>((done) => pages.listen(0, '127.0.0.9', done));
  const { port } = pages.address() as AddressInfo;
  origin = `http://127.0.0.9:${port}`;
  desk = await openOwnServer(
    { TRACHEON_DATA: join(folder, 'one'), TRACHEON_ALLOW_OUTGOING: `127.0.0.9:${port}` },
    { withNumbers: true, canBeCut: true },
  );
  page = await desk.make('landing-page', {
    name: 'Terrarium story',
    url: `${origin}/story?from={sub_site}`,
    buttons: 2,
  });
  chain = await desk.chain({
    campaign: { name: 'NL · through a page', costModel: 'none', landingPageId: page.id },
  });
});
afterAll(async () => {
  await desk.close();
  pages.closeAllConnections();
  await new Promise((done) => pages.close(done));
  rmSync(folder, { recursive: true, force: true });
});

interface Sent {
  id: string;
  address: URL;
  cookie: string;
}
async function visit(
  query = 'clk=c1&site=moss.example',
  cookie = '',
  key = chain.campaign.key,
): Promise<Sent> {
  const res = await desk.visit(`/v/${key}?${query}`, cookie === '' ? {} : { Cookie: cookie });
  const address = new URL(res.headers.get('location')!);
  const cookies = res.headers.getSetCookie().map((c) => c.split(';')[0]!);
  return { id: address.searchParams.get('click_id')!, address, cookie: cookies.join('; ') };
}
const click = (query: string, cookie = '', n = '1', key = page.key, method = 'GET'): Promise<Response> =>
  desk.visit(
    `/b/${key}/${n}${query === '' ? '' : `?${query}`}`,
    cookie === '' ? {} : { Cookie: cookie },
    method,
  );
const to = (res: Response): string => res.headers.get('location') ?? `${res.status}`;
const whole = async (id: string): Promise<WholeVisit> =>
  (await desk.owner.get<WholeVisit>(`/visits/${id}`)).body;
const offerOf = (id: string, site = 'moss.example'): string =>
  `https://go.larkspur.example/o/4471?pub=902&src=${encodeURIComponent(chain.source.body.name)}&site=${site}&aff_ref=${id}`;

describe('a visit', () => {
  it('goes to the page with its tokens filled and the click ID put on', async () => {
    const { id, address } = await visit();
    expect(address.origin + address.pathname).toBe(`${origin}/story`);
    expect([...address.searchParams.keys()]).toEqual(['from', 'click_id', '_c']);
    expect(address.searchParams.get('from')).toBe('moss.example');
    expect(await whole(id)).toMatchObject({ landingId: page.id, offerId: chain.offer.id, buttonClicks: [] });
  });
});

describe('a button click', () => {
  it('finds its visit by the link, and goes to the offer with everything that the visit knew', async () => {
    const { id } = await visit();
    expect(to(await click(`click_id=${id}`, '', '2'))).toBe(offerOf(id));
    expect(to(await click(`click_id=${id.toLowerCase()}`))).toBe(offerOf(id));
    expect((await whole(id)).buttonClicks.map((c) => [c.n, c.match])).toEqual([
      [2, 'link'],
      [1, 'link'],
    ]);
  });

  it('finds it by the cookie where the link has no click ID, or only a placeholder', async () => {
    const { id, cookie } = await visit();
    expect(to(await click('', cookie))).toBe(offerOf(id));
    expect(to(await click('click_id={click_id}', cookie))).toBe(offerOf(id));
    expect((await whole(id)).buttonClicks.map((c) => c.match)).toEqual(['cookie', 'cookie']);
  });

  it('tells two tabs apart: of one page by the link, of two pages by the page’s key', async () => {
    const other = await desk.make('landing-page', { name: 'Another page', url: `${origin}/other` });
    const second = await desk.chain({
      source: { name: 'Tidepool Native', parameters: [] },
      campaign: { name: 'Two tabs', landingPageId: other.id },
    });
    const one = await visit('clk=tab-1');
    const two = await visit('clk=tab-2', one.cookie);
    const three = await visit('', two.cookie, second.campaign.key);
    expect(to(await click(`click_id=${one.id}`, three.cookie))).toContain(`aff_ref=${one.id}`);
    expect(to(await click('', three.cookie))).toContain(`aff_ref=${two.id}`);
    expect(to(await click('', three.cookie, '1', other.key))).toContain(`aff_ref=${three.id}`);
  });

  it('remembers eight visits of a browser, and believes no cookie or mark that it did not sign', async () => {
    let cookie = '';
    const ids: string[] = [];
    for (let i = 0; i < 10; i++) {
      const sent = await visit(`clk=many-${i}`, cookie);
      cookie = sent.cookie;
      ids.push(sent.id);
    }
    expect(ids.map((id) => cookie.includes(id))).toEqual([false, false, ...Array<boolean>(8).fill(true)]);
    const forged = cookie.replace(ids[9]!, '01K0000000000000000000ABCD');
    expect(to(await click('', forged))).toContain(`aff_ref=${ids[8]}`);
    const { address } = await visit('clk=mark');
    const mark = address.searchParams.get('_c')!;
    const stranger = '01KA0000000000000000000000';
    // Another's mark beside a click ID that nobody has: no visit, so the only offer behind the page, without an ID.
    expect(to(await click(`click_id=${stranger}&_c=${mark}`))).toBe(offerOf('', ''));
  });

  it('is no click for a prefetch, a HEAD, another method, an unknown page, a button that cannot be', async () => {
    const { id } = await visit();
    const prefetch = await desk.visit(`/b/${page.key}/1?click_id=${id}`, { 'Sec-Purpose': 'prefetch' });
    expect(prefetch.status).toBe(503);
    expect(to(await click(`click_id=${id}`, '', '1', page.key, 'HEAD'))).toBe(offerOf(id));
    expect((await click(`click_id=${id}`, '', '1', page.key, 'POST')).status).toBe(405);
    for (const path of [`/b/${'x'.repeat(12)}/1`, '/b/']) {
      const res = await desk.visit(`${path}?click_id=${id}`);
      expect([path, res.status, res.headers.get('tracheon-error')]).toEqual([
        path,
        404,
        'unknown_button_key',
      ]);
    }
    expect((await whole(id)).buttonClicks).toEqual([]);
  });

  it('goes to the page’s address to fall back on when nobody knows whose it is', async () => {
    const own = await desk.make('landing-page', {
      name: 'With a fallback',
      url: `${origin}/own`,
      fallbackUrl: 'https://shop.kitewright.example/start',
    });
    const unused = await desk.make('landing-page', { name: 'Unused', url: `${origin}/unused` });
    await until(async () => to(await click('', '', '1', own.key)) !== '404', 'the page to be live');
    expect(to(await click('', '', '1', own.key))).toBe('https://shop.kitewright.example/start');
    await until(
      async () => (await click('', '', '1', unused.key)).headers.get('tracheon-error') === 'unknown_visitor',
      'the page',
    );
    await until(async () => {
      const { rows } = await desk.pool.query<{ times: string }>(
        `SELECT times FROM unknown_keys WHERE kind = 'button' AND key = $1`,
        [own.key],
      );
      return Number(rows[0]?.times ?? 0) >= 2;
    }, 'the count of unknown clicks');
  });

  it('goes on to the offer of its visit after the campaign was stopped, or has another one', async () => {
    const other = await desk.chain();
    const { id } = await visit('clk=before-the-stop');
    const { campaign } = chain;
    await desk.owner.put(`/parts/campaign/${campaign.id}`, {
      version: 1,
      body: { ...campaign.body, offerId: other.offer.id },
    });
    await desk.owner.put(`/parts/campaign/${campaign.id}/state`, { state: 'paused' });
    await until(async () => (await desk.visit(`/v/${campaign.key}`)).status === 404, 'the stop');
    expect(to(await click(`click_id=${id}`))).toBe(offerOf(id, ''));
    await desk.owner.put(`/parts/campaign/${campaign.id}/state`, { state: 'live' });
    await desk.owner.put(`/parts/campaign/${campaign.id}`, { version: 4, body: campaign.body });
    await until(async () => (await desk.visit(`/v/${campaign.key}`)).status === 302, 'the start');
  });
});

describe('figures', () => {
  it('count visits sent to the page, those with a click once each, and the rate', async () => {
    const own = await desk.chain({ campaign: { name: 'Figures', landingPageId: page.id } });
    const ids = [];
    for (let i = 0; i < 4; i++) ids.push((await visit(`clk=f${i}`, '', own.campaign.key)).id);
    await click(`click_id=${ids[0]}`);
    await click(`click_id=${ids[0]}`, '', '2');
    const bot = await desk.visit(`/v/${own.campaign.key}?clk=bot`, { 'User-Agent': 'PracticeBot/1.0' });
    await click(`click_id=${new URL(to(bot)).searchParams.get('click_id')}`);
    const report = async () =>
      (await desk.owner.get<CampaignReport>(`/reports/campaigns/${own.campaign.id}`)).body.total;
    await until(async () => {
      const { visits, bots, buttonClicks } = await report();
      return visits + bots + buttonClicks === 6;
    }, 'the figures');
    expect(await report()).toMatchObject({
      visits: 4,
      bots: 1,
      sentToPage: 4,
      buttonClicks: 1,
      pageCtr: 0.25,
      sentToOffer: 1,
    });
  });
});

describe('the database away', () => {
  it('clicks still find their offer, here and in a process that has not seen the visit; and are kept', async () => {
    // Shares the database and the secret, and nothing of the memory.
    const beside = await startServer(
      parseConfig({
        DATABASE_URL: desk.database.url,
        TRACHEON_DESK_PORT: '0',
        TRACHEON_PARTNERS: 'off',
        TRACHEON_TRACKING_PORT: '0',
        TRACHEON_SECRET: SECRET,
        TRACHEON_DATA: join(folder, 'beside'),
        TRACHEON_LOG: 'silent',
        TRACHEON_VISITOR_PATIENCE_MS: '10000',
      }),
      pino({ level: 'silent' }),
      'web/dist',
    );
    const clickBeside = (query: string, cookie = ''): Promise<Response> =>
      fetch(`http://127.0.0.2:${beside.trackingPort}/b/${page.key}/1${query}`, {
        redirect: 'manual',
        headers: { 'User-Agent': PHONE, ...(cookie === '' ? {} : { Cookie: cookie }) },
      });
    const [near, byMark, byCookie] = [
      await visit('clk=near'),
      await visit('clk=mark'),
      await visit('clk=cookie'),
    ];
    await desk.database.relay.cut();
    for (const port of [desk.running.deskPort, beside.deskPort])
      await until(async () => (await fetch(`http://127.0.0.1:${port}/readyz`)).status === 503, 'the health');
    const began = performance.now();
    expect(to(await click(`click_id=${near.id}`))).toBe(offerOf(near.id, ''));
    const during = await visit('clk=during&site=fern.example');
    expect(to(await click(`click_id=${during.id}`, '', '2'))).toBe(offerOf(during.id, 'fern.example'));
    // What was signed knows the campaign and the click ID, and so the offer, but none of the sub-IDs.
    expect(to(await clickBeside(byMark.address.search))).toBe(offerOf(byMark.id, ''));
    expect(to(await clickBeside('', byCookie.cookie))).toBe(offerOf(byCookie.id, ''));
    // None of them waited for the database to answer.
    expect(performance.now() - began).toBeLessThan(CONNECT_TIMEOUT_MS);
    await desk.database.relay.open();
    const clicksOf = async (sent: Sent): Promise<string[]> =>
      ((await whole(sent.id)).buttonClicks ?? []).map((c) => c.match);
    for (const [sent, match] of [
      [near, 'link'],
      [during, 'link'],
      [byMark, 'signed'],
      [byCookie, 'cookie'],
    ] as const) {
      await until(async () => (await clicksOf(sent)).length > 0, `the click of ${match}`);
      expect(await clicksOf(sent)).toEqual([match]);
    }
    await beside.close();
  });
});

describe('a look at the page', () => {
  const look = async (): Promise<PageCheck> =>
    (await desk.owner.post<PageCheck>(`/pages/${page.id}/check`, {})).body;
  const button = (n: number, more = ''): string =>
    `<a href="${desk.tracking}/b/${page.key}/${n}${more}">go</a>`;
  const html = (body: string): string => `<!doctype html><html><head></head><body>${body}</body></html>`;

  it('finds each button and the script, and remembers what it found', async () => {
    expect((await desk.owner.get(`/pages/${page.id}/check`)).body).toEqual({ check: null });
    served = (url) => ({
      body: html(
        `${button(1)} ${button(1)}<script src="${desk.tracking}/page.js" defer></script><!-- ${url} -->`,
      ),
    });
    const found = await look();
    expect(found).toMatchObject({
      trouble: 'ok',
      sentence: '',
      status: 200,
      secure: false,
      script: true,
      strays: [],
    });
    expect(found.buttons).toEqual([
      { n: 1, found: 2, baked: false, secure: false },
      { n: 2, found: 0, baked: false, secure: true },
    ]);
    expect((await desk.owner.get(`/pages/${page.id}/check`)).body).toEqual({ check: found });
  });

  it('sees one visitor’s click ID baked in, buttons of other pages, links in data of a site builder', async () => {
    served = (url) => ({
      body: html(
        `${button(1, '?click_id=01KAVB5T9C7QK2M8W3XJ4RZ6ND')}<a href="https://old.example/b/abcdef123456/1">old</a>
         <script>var page = {"link":"${desk.tracking.replaceAll('/', '\\/')}\\/b\\/${page.key}\\/2"}</script>`,
      ),
      headers: { 'X-Asked': url },
    });
    const found = await look();
    expect(found.buttons.map((b) => [b.n, b.found, b.baked])).toEqual([
      [1, 1, true],
      [2, 1, false],
    ]);
    expect([found.script, found.strays]).toEqual([false, ['https://old.example/b/abcdef123456/1']]);
  });

  it('takes the click ID that a page fills in for each visitor for no baked one', async () => {
    served = (url) => ({
      body: html(button(1, `?click_id=${new URL(url, origin).searchParams.get('click_id')}`)),
    });
    expect((await look()).buttons[0]).toMatchObject({ found: 1, baked: false });
  });

  it('follows a few redirects, reads what is compressed, and an encoding that changes half way', async () => {
    served = (url): Served =>
      url.startsWith('/story')
        ? { status: 302, headers: { Location: '/next' } }
        : { headers: { 'Content-Encoding': 'gzip' }, body: gzipSync(html(button(1))) };
    expect(await look()).toMatchObject({ trouble: 'ok', finalUrl: `${origin}/next` });
    served = () => ({
      headers: { 'Content-Type': 'text/html; charset=nonsense' },
      body: Buffer.concat([Buffer.from('<p>é</p>'), Buffer.from([0xe9, 0xff, 0xfe]), Buffer.from(button(1))]),
    });
    expect((await look()).buttons[0]!.found).toBe(1);
  });

  it.each([
    ['redirects_too_often', () => ({ status: 301, headers: { Location: '/again' } })],
    ['error_status', () => ({ status: 500, body: 'no' })],
    ['not_html', () => ({ headers: { 'Content-Type': 'application/pdf' }, body: '%PDF' })],
    ['too_large', () => ({ body: Buffer.alloc(3 * 1024 * 1024, 'x') })],
    [
      'too_large',
      () => ({ headers: { 'Content-Encoding': 'gzip' }, body: gzipSync(Buffer.alloc(50_000_000)) }),
    ],
    ['too_slow', () => null],
    ['refused', () => ({ status: 302, headers: { Location: 'http://127.0.0.1:5432/' } })],
    ['refused', () => ({ status: 302, headers: { Location: `${desk.tracking}/v/abc` } })],
  ])('says what is wrong: %s', async (trouble, answer) => {
    served = answer as typeof served;
    const found = await look();
    expect([found.trouble, found.sentence !== '']).toEqual([trouble, true]);
    expect(found.buttons.every((b) => b.found === 0)).toBe(true);
  });

  it('says that a page does not answer at all', async () => {
    const gone = await desk.make('landing-page', { name: 'Gone', url: 'http://nowhere.invalid/x' });
    const found = (await desk.owner.post<PageCheck>(`/pages/${gone.id}/check`, {})).body;
    expect(found.trouble).toBe('no_answer');
  });
});

describe('the script for pages', () => {
  it('is served by the tracking listener, for a while, and keeps nothing in cookies', async () => {
    const res = await desk.visit('/page.js', { 'User-Agent': PHONE });
    expect([res.status, res.headers.get('content-type'), res.headers.get('cache-control')]).toEqual([
      200,
      'text/javascript; charset=utf-8',
      'public, max-age=3600',
    ]);
    expect(await res.text()).not.toMatch(/XMLHttp|sendBeacon|eval|document\.cookie|localStorage/);
  });
});
