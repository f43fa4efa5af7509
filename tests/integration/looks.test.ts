/** Offers opened as a visitor from another country, through a real proxy; and offers that wait for their partner's page. */
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { createServer as createSecureServer } from 'node:https';
import { connect, type AddressInfo, type Socket } from 'node:net';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import type {
  Attention,
  LookAnswer,
  OfferWait,
  PartRecord,
  Problem,
  ProxyRow,
} from '@tracheon/core/contract';
import { request } from 'undici';
import { throughProxy } from '../../server/looks/throughProxy.ts';
import { lookAtWaitingOffers } from '../../server/looks/waitingOffers.ts';
import { makeWalk } from '../../server/setup/walk.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { selfSigned } from './selfSigned.ts';
import { PHONE } from './testDesk.ts';

const PASSWORD = 'proxy-password-77';
const partner = {
  answer: null as ((req: IncomingMessage, res: ServerResponse) => void) | null,
  agents: [] as string[],
};
/** What the proxy was asked for, and by whom. */
const proxy = { asked: [] as string[], sockets: new Set<Socket>(), breaks: false };

let site: Server;
let tunnel: Server;
let sitePort: number;
let proxyPort: number;
let desk: OwnDesk;
const port = (server: Server): number => (server.address() as AddressInfo).port;
beforeAll(async () => {
  site = createServer((req, res) => {
    partner.agents.push(req.headers['user-agent'] ?? '');
    if (partner.answer) return partner.answer(req, res);
    if (req.url!.startsWith('/o/'))
      return void res.writeHead(302, { Location: `/page${new URL(req.url!, 'http://x').search}` }).end();
    res.setHeader('Content-Type', 'text/html; charset=utf-8');
    res.end(
      '<html><head><title>Kites &amp; more</title></head><body><h1>Fly a kite</h1><script>no()</script></body></html>',
    );
  });
  tunnel = createServer().on('connect', (req, client: Socket) => {
    proxy.sockets.add(client);
    client.on('error', () => undefined);
    proxy.asked.push(req.url!);
    if (proxy.breaks) return void client.destroy();
    if (req.headers['proxy-authorization'] !== `Basic ${Buffer.from(`mira:${PASSWORD}`).toString('base64')}`)
      return void client.end('HTTP/1.1 407 Proxy Authentication Required\r\n\r\n');
    const [host, at] = req.url!.split(':') as [string, string];
    const out = connect(Number(at), host, () => {
      client.write('HTTP/1.1 200 Connection established\r\n\r\n');
      out.pipe(client).pipe(out);
    }).on('error', () => client.destroy());
  });
  for (const server of [site, tunnel]) await new Promise<void>((done) => server.listen(0, '127.0.0.9', done));
  [sitePort, proxyPort] = [port(site), port(tunnel)];
  desk = await openOwnServer({ TRACHEON_ALLOW_OUTGOING: `127.0.0.9:${sitePort},127.0.0.9:${proxyPort}` });
});
afterAll(async () => {
  await desk.close();
  for (const socket of proxy.sockets) socket.destroy();
  site.closeAllConnections();
  site.close();
  tunnel.close();
});
beforeEach(() => {
  Object.assign(partner, { answer: null, agents: [] });
  Object.assign(proxy, { asked: [], breaks: false });
});

const offerAt = async (link: string, more: object = {}): Promise<PartRecord<'offer'>> =>
  (await desk.chain({ offer: { link, countries: ['DK'], ...more } })).offer;
const site_ = (path: string): string => `http://127.0.0.9:${sitePort}${path}`;
const look = (offer: PartRecord<'offer'>, body: object) =>
  desk.owner.post<LookAnswer & Problem>(`/parts/offer/${offer.id}/look`, body);
const saveProxy = (more: object = {}) =>
  desk.owner.post<ProxyRow[] & Problem>('/proxies', {
    country: 'DK',
    address: `127.0.0.9:${proxyPort}`,
    user: 'mira',
    password: PASSWORD,
    ...more,
  });

describe('a look as a visitor', () => {
  it('without a proxy follows the filled link and tells what a person would read', async () => {
    const offer = await offerAt(site_('/o/1?aff={click_id}&site={sub_site}'));
    const { status, body } = await look(offer, {});
    expect(status).toBe(200);
    expect(body).toMatchObject({
      isFound: true,
      title: 'Kites & more',
      text: 'Fly a kite',
      isThroughProxy: false,
    });
    expect(body.hops.map((h) => [h.way, h.status])).toEqual([
      ['redirect', 302],
      ['end', 200],
    ]);
    expect(body.hops[0]!.url).toContain(`aff=${body.clickId}&site=testsite.example`);
    expect(partner.agents.every((a) => a.includes('Android'))).toBe(true);
    expect(PHONE).toContain('Mobile');
  });

  it('through the proxy of the country tunnels every hop', async () => {
    const offer = await offerAt(site_('/o/2?aff={click_id}'));
    expect((await look(offer, { country: 'DK' })).body.fields).toEqual([
      { path: 'country', message: 'You have no proxy in DK. Add one in Settings.' },
    ]);
    expect((await saveProxy()).body).toMatchObject([{ country: 'DK', user: 'mira', hasPassword: true }]);
    const { body } = await look(offer, { country: 'DK', device: 'desktop' });
    expect(body).toMatchObject({ isFound: true, title: 'Kites & more', isThroughProxy: true });
    expect(new Set(proxy.asked)).toEqual(new Set([`127.0.0.9:${sitePort}`]));
    expect(partner.agents.every((a) => a.includes('X11'))).toBe(true);
  });

  it('says what is wrong with the proxy', async () => {
    const offer = await offerAt(site_('/o/3?aff={click_id}'));
    const said = async (): Promise<string> => (await look(offer, { country: 'DK' })).body.hops.at(-1)!.detail;
    await saveProxy({ password: 'wrong' });
    expect(await said()).toBe('The proxy refuses the user or the password.');
    await saveProxy();
    proxy.breaks = true;
    expect(await said()).toContain('The proxy breaks off');
    proxy.breaks = false;
    await saveProxy({ address: '10.0.0.1:8080' });
    expect(await said()).toBe('The proxy’s address: 10.0.0.1 is a private address.');
    await saveProxy({ address: '127.0.0.9:1' });
    expect(await said()).toContain('private address');
    await saveProxy();
    // Nor may a page lead through it to somewhere private.
    partner.answer = (_, res) => void res.writeHead(302, { Location: 'http://10.1.2.3/' }).end();
    expect(await said()).toBe('10.1.2.3 is a private address.');
  });

  it('speaks TLS with the page through the tunnel, and trusts no certificate that nobody has signed', async () => {
    await saveProxy();
    const secure = createSecureServer(selfSigned, (_, res) => res.end('<p>Secret</p>'));
    await new Promise<void>((done) => secure.listen(0, '127.0.0.9', done));
    try {
      const { port: at } = secure.address() as AddressInfo;
      const offer = await offerAt(`https://127.0.0.9:${at}/?aff={click_id}`);
      // Not one of the operator's pairs.
      expect((await look(offer, { country: 'DK' })).body.hops[0]!.detail).toContain('private address');
      const agent = throughProxy(
        { address: `127.0.0.9:${proxyPort}`, user: 'mira', password: PASSWORD },
        new Set([`127.0.0.9:${proxyPort}`, `127.0.0.9:${at}`]),
        100_000,
      );
      await expect(request(`https://127.0.0.9:${at}/`, { dispatcher: agent })).rejects.toThrow(/self-signed/);
      await agent.destroy();
      expect(proxy.asked).toContain(`127.0.0.9:${at}`);
    } finally {
      secure.close();
    }
  });

  it('keeps the password to itself, and to the address it was entered for', async () => {
    await saveProxy();
    const moved = await saveProxy({ address: 'elsewhere.example:8080', password: '' });
    expect([moved.status, moved.body.fields]).toEqual([
      422,
      [{ path: 'password', message: 'The address has changed. Enter the password again.' }],
    ]);
    expect((await saveProxy({ password: '' })).status).toBe(200);
    const offer = await offerAt(site_('/o/4?aff={click_id}'));
    expect((await look(offer, { country: 'DK' })).body.isFound).toBe(true);
    expect(JSON.stringify((await desk.owner.get('/proxies')).body)).not.toContain(PASSWORD);
    const { rows } = await desk.pool.query<{ text: string }>(
      'SELECT p::text AS text FROM proxies p UNION ALL SELECT s::text FROM secrets s',
    );
    expect(rows.map((r) => r.text).join()).not.toContain(PASSWORD);
  });

  it('is off where the network forbids it', async () => {
    const chain = await desk.chain({
      network: { noLooks: true },
      offer: { link: site_('/o/5?aff={click_id}') },
    });
    const { status, body } = await look(chain.offer, {});
    expect([status, body.fields![0]!.message]).toEqual([422, expect.stringContaining('forbids looks')]);
    expect(partner.agents).toEqual([]);
  });
});

describe('an offer that waits for its partner', () => {
  const job = () =>
    lookAtWaitingOffers({
      pool: desk.pool,
      look: { walk: makeWalk(new Set([`127.0.0.9:${sitePort}`])), ownOrigins: [] },
      now: Date.now,
      tell: () => undefined,
    });
  const ready = async (): Promise<string[]> =>
    (await desk.owner.get<Attention[]>('/attention')).body
      .filter((a) => a.code === 'offer_ready')
      .map((a) => a.sentence);

  it('is looked at until its page says the words, and gets no visitor before', async () => {
    const chain = await desk.chain({
      offer: {
        name: 'Autumn kites',
        link: site_('/o/6?aff={click_id}'),
        sending: 'waiting',
        expectedWords: 'Fly  a KITE',
        fallbackUrl: 'https://fallback.example/',
      },
    });
    const wait = async () => (await desk.owner.get<OfferWait>(`/parts/offer/${chain.offer.id}/wait`)).body;
    expect(await wait()).toEqual({ lookedAt: null, readyAt: null, sentence: '' });
    partner.answer = (_, res) => void res.writeHead(404).end('not yet');
    await job().run();
    expect(await wait()).toMatchObject({
      readyAt: null,
      sentence: 'The last page is missing: it answers 404.',
    });
    partner.answer = (_, res) => void res.end('<h1>Under construction</h1>');
    const { body } = await desk.owner.post<OfferWait>(`/parts/offer/${chain.offer.id}/wait`, {});
    expect(body).toMatchObject({
      readyAt: null,
      sentence: 'The page is there, but does not say “Fly  a KITE” yet.',
    });
    expect(await ready()).toEqual([]);
    partner.answer = null;
    await job().run();
    const { readyAt } = await wait();
    expect(readyAt).not.toBeNull();
    expect(await ready()).toEqual(['Autumn kites: the partner’s page is there now. Set the offer to live.']);
    await job().run();
    expect((await wait()).readyAt).toBe(readyAt);
    const visit = await fetch(`${desk.tracking}/v/${chain.campaign.key}`, { redirect: 'manual' });
    expect(visit.headers.get('location')).toBe('https://fallback.example/');
  });
});
