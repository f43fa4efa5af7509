/** Where visits go when their offer does not take them, what their conversions become, and links as they really arrive. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { connect } from 'node:net';
import type { ConversionRow, DeskInput, PartRecord, VisitRow, WholeVisit } from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
beforeAll(async () => {
  desk = await makeDesk();
});
afterAll(() => desk.close());

const to = (res: Response): string => res.headers.get('location') ?? `${res.status}`;
const change = async (part: PartRecord, body: object): Promise<void> => {
  const now = (await desk.owner.get<PartRecord>(`/parts/${part.kind}/${part.id}`)).body;
  const res = await desk.owner.put(`/parts/${part.kind}/${part.id}`, {
    version: now.version,
    body: { ...now.body, ...body },
  });
  expect(res.status).toBe(200);
};
const setState = async (part: PartRecord, state: string): Promise<void> => {
  const now = (await desk.owner.get<PartRecord>(`/parts/${part.kind}/${part.id}`)).body;
  const path = `/parts/${part.kind}/${part.id}/state`;
  expect((await desk.owner.put(path, { version: now.version, state })).status).toBe(200);
};
const visitsOf = async (chain: Chain, clk: string): Promise<VisitRow> => {
  let found: VisitRow | undefined;
  await until(async () => {
    const rows = await desk.list<VisitRow>(`/visits?campaign=${chain.campaign.id}&limit=200`);
    return (found = rows.find((v) => v.sourceClickId === clk)) !== undefined;
  }, 'the visit');
  return found!;
};
const leadsTo = (chain: Chain, wanted: string): Promise<void> =>
  until(
    async () => to(await desk.visit(`/v/${chain.campaign.key}`, {}, 'HEAD')).startsWith(wanted),
    `the way to ${wanted}`,
  );

describe('a visit that its offer does not take', () => {
  it('falls back on the offer’s address, the campaign’s, the desk’s, a notice; its fate says which', async () => {
    const chain = await desk.chain({
      offer: { sending: 'ended', fallbackUrl: 'https://offer.example/?n={campaign_id}' },
      campaign: { fallbackUrl: 'https://campaign.example/?c={click_id}&b={branch_name}' },
    });
    const go = async (clk: string) => {
      const where = to(await desk.visit(`/v/${chain.campaign.key}?clk=${clk}&bid=0.01`));
      const visit = await visitsOf(chain, clk);
      return { where, visit, told: [visit.fate, visit.offerId, visit.costMicros] };
    };
    const first = await go('f1');
    expect(first.where).toBe(`https://offer.example/?n=${chain.campaign.id}`);
    expect(first.told).toEqual(['offer_fallback', '', '10000']);
    await change(chain.offer, { fallbackUrl: '' });
    await leadsTo(chain, 'https://campaign.example/');
    const second = await go('f2');
    expect(second.where).toBe(`https://campaign.example/?c=${second.visit.id}&b=otherwise`);
    expect(second.told).toEqual(['campaign_fallback', '', '10000']);
    const settings = (await desk.owner.get<DeskInput>('/desk')).body;
    const fallbackUrl = 'https://desk.example/';
    expect((await desk.owner.put('/desk', { ...settings, fallbackUrl })).status).toBe(200);
    await change(chain.campaign, { fallbackUrl: '' });
    await leadsTo(chain, fallbackUrl);
    expect((await go('f3')).told).toEqual(['desk_fallback', '', '10000']);
    expect((await desk.owner.put('/desk', { ...settings, fallbackUrl: '' })).status).toBe(200);
    await leadsTo(chain, '404');
    const last = await go('f4');
    expect([last.where, ...last.told]).toEqual(['404', 'no_offer', '', '10000']);
    expect(last.visit.notes).toContain('sent_nowhere');
    expect(await desk.say(chain.network.key, `click_id=${last.visit.id}&payout=3`)).toMatchObject({
      outcome: 'repair',
    });
  });

  it('of a paused campaign goes to its fallback, else to its offer’s, and keeps its cost', async () => {
    const second = await desk.chain({ offer: { link: 'https://go.larkspur.example/second' } });
    const chain = await desk.chain({
      offer: { fallbackOfferId: second.offer.id },
      campaign: { fallbackUrl: 'https://campaign.example/' },
    });
    await setState(chain.campaign, 'paused');
    await leadsTo(chain, 'https://campaign.example/');
    expect(to(await desk.visit(`/v/${chain.campaign.key}?clk=p1&bid=0.02`))).toBe(
      'https://campaign.example/',
    );
    expect(await visitsOf(chain, 'p1')).toMatchObject({ fate: 'paused', offerId: '', costMicros: '20000' });
    await change(chain.campaign, { fallbackUrl: '' });
    await leadsTo(chain, 'https://go.larkspur.example/second');
    const id = await chain.send('clk=p2&bid=0.02');
    expect(await visitsOf(chain, 'p2')).toMatchObject({ fate: 'paused', offerId: second.offer.id });
    expect(await desk.say(second.network.key, `click_id=${id}&payout=2`)).toMatchObject({
      outcome: 'accepted',
    });
  });

  it('is owned all the same: its conversion is booked on its campaign, flagged, with what the network reports', async () => {
    const chain = await desk.chain({
      offer: { sending: 'paused', payoutMode: 'fixed', payoutMicros: '9000000' },
      campaign: { fallbackUrl: 'https://elsewhere.example/?c={click_id}' },
    });
    const other = await desk.chain();
    const id = await chain.send('clk=o1');
    const booked = async (): Promise<ConversionRow[]> =>
      (await desk.booked()).filter((c) => c.campaignId === chain.campaign.id);
    // Whoever pays first is the network that it belongs to; no offer's terms hold.
    expect(await desk.say(other.network.key, `click_id=${id}&payout=4&currency=EUR`)).toMatchObject({
      outcome: 'accepted',
    });
    const [one, ...none] = await booked();
    expect([one!.payoutMicros, one!.currency, one!.flags, one!.networkName, one!.offerName, none]).toEqual([
      '4000000',
      'EUR',
      ['from_fallback'],
      other.network.body.name,
      '',
      [],
    ]);
    expect(await desk.say(chain.network.key, `click_id=${id}&payout=5`)).toMatchObject({
      outcome: 'repair',
      reason: expect.stringContaining(other.network.body.name),
    });
    expect((await booked()).map((c) => c.payoutMicros)).toEqual(['4000000']);
    await desk.say(other.network.key, `click_id=${id}&status=back`);
    expect((await booked()).map((c) => c.status)).toEqual(['reversed']);
    // A visit without an offer has a trail like every other.
    expect((await desk.owner.get(`/visits/${id}/trail`)).status).toBe(200);
  });

  it('conversions carry every dimension of their visit', async () => {
    const chain = await desk.chain({ source: { adFormats: ['push'] }, campaign: { adFormat: 'push' } });
    const id = await chain.send('clk=d1', {
      'Accept-Language': 'nl-BE,nl;q=0.9',
      Referer: 'https://tuinpraat.example/x',
    });
    await desk.say(chain.network.key, `click_id=${id}&payout=1`);
    const { rows } = await desk.pool.query(
      `SELECT c.* FROM conversions c WHERE c.desk_id = $1 AND c.click_id = $2`,
      [desk.deskId, id],
    );
    expect(rows[0]).toMatchObject({
      language: 'nl',
      referrer_host: 'tuinpraat.example',
      ad_format: 'push',
      branch_id: 'otherwise',
      pairing_id: 'only',
      fate: 'sent',
      device: 'phone',
    });
    expect(rows[0].os_version).not.toBe('');
    const { dimensions } = (await desk.owner.get<WholeVisit>(`/visits/${id}`)).body;
    const told = new Map(dimensions.map((d) => [d.label, d.value]));
    expect(
      ['Campaign', 'Offer', 'Ad format', 'Where it went', 'Language'].map((label) => told.get(label)),
    ).toEqual([chain.campaign.body.name, chain.offer.body.name, 'push', 'sent', 'nl']);
    // What nothing is known of is left out.
    expect([...told.values()]).not.toContain('');
  });
});

/** Sends bytes as they are, and returns what comes back. */
function raw(request: string | Buffer): Promise<string> {
  const { hostname, port } = new URL(desk.tracking);
  return new Promise((resolve, reject) => {
    let text = '';
    const socket = connect(Number(port), hostname, () => socket.write(request));
    socket.on('data', (chunk) => (text += chunk.toString('latin1')));
    socket.on('close', () => resolve(text));
    socket.on('error', reject);
  });
}

describe('links as they arrive', () => {
  it('with slashes too many, encoded spaces at an end, or in absolute form lead where they should', async () => {
    const chain = await desk.chain();
    const { key } = chain.campaign;
    const offer = 'https://go.larkspur.example/o/4471?';
    for (const path of [`/v/${key}/`, `//v//${key}`, `/%20v/${key}%20`, `/v/${key}%20%20/`])
      expect([path, to(await desk.visit(`${path}?clk=${Math.random()}`)).startsWith(offer)]).toEqual([
        path,
        true,
      ]);
    const absolute = await raw(
      `GET http://other.example/v/${key}?clk=abs HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n`,
    );
    expect(absolute).toMatch(/^HTTP\/1\.1 302 /);
    await visitsOf(chain, 'abs');
    expect(await desk.say(`${chain.network.key}//`, 'payout=1')).toMatchObject({
      status: 200,
      outcome: 'repair',
    });
  });

  it('with raw spaces and raw UTF-8 are read from the bytes, and flagged', async () => {
    const chain = await desk.chain();
    const answer = await raw(
      Buffer.from(
        `GET /v/${chain.campaign.key}?clk=raw1&title=Café noir 日本&site=a.example HTTP/1.1\r\nHost: x\r\n\r\n`,
      ),
    );
    expect(answer).toMatch(/^HTTP\/1\.1 302 /);
    expect(answer).toContain('site=a.example');
    const visit = await visitsOf(chain, 'raw1');
    expect([visit.subs, visit.notes]).toEqual([
      { title: 'Café noir 日本', site: 'a.example' },
      ['raw_request_line', 'no_cost'],
    ]);
    const body = 'status=ok';
    const said = await raw(
      `POST /in/${chain.network.key}?click_id=${visit.id}&payout=2&transaction=a b HTTP/1.1\r\nHost: x\r\n` +
        `Content-Type: application/x-www-form-urlencoded\r\nContent-Length: ${body.length}\r\n\r\n${body}`,
    );
    expect(said).toMatch(/^HTTP\/1\.1 200 /);
    // On a busy machine the verdict comes after the answer.
    const newest = async () => (await desk.postbacksIn())[0]!;
    await until(async () => (await newest()).outcome === 'accepted', 'the verdict');
    expect((await newest()).notes).toContain('raw_request_line');
    const [conversion] = (await desk.booked()).filter((c) => c.clickId === visit.id);
    expect(conversion!.transaction).toBe('a b');
    // In several packets, and after another request on the same connection.
    const { hostname, port } = new URL(desk.tracking);
    const socket = connect(Number(port), hostname);
    let answers = '';
    socket.on('data', (chunk) => (answers += chunk.toString('latin1')));
    const closed = new Promise<void>((resolve) => socket.on('close', () => resolve()));
    socket.setNoDelay(true);
    socket.write(`GET /v/${chain.campaign.key}?clk=first HTTP/1.1\r\nHost: x\r\n\r\n`);
    await until(() => Promise.resolve(answers.includes(' 302 ')), 'the first answer');
    socket.write(`GET /v/${chain.campaign.key}?clk=raw2&title=two words`);
    await desk.visit('/healthz');
    socket.write(` in two packets HTTP/1.1\r\nHost: x\r\n\r\n`);
    await closed;
    expect(answers.match(/ 302 /g)).toHaveLength(2);
    expect((await visitsOf(chain, 'raw2')).subs).toEqual({ title: 'two words in two packets' });
    // What is no request stays refused.
    expect(await raw('GET /v/x y HTTP/9\r\n\r\n')).toMatch(/^HTTP\/1\.1 400 /);
  });

  it('of buttons that the page does not have lead to the visit’s offer, flagged', async () => {
    const page = await desk.make('landing-page', {
      name: `Terrarium story ${Math.random()}`,
      url: 'https://story.example/',
      buttons: 2,
    });
    const chain = await desk.chain({ campaign: { landingPageId: page.id } });
    const id = await chain.send('clk=b1');
    for (const n of ['2', '3', '0', '01', '1%20', 'x'])
      expect([n, to(await desk.visit(`/b/${page.key}/${n}?click_id=${id}`))]).toEqual([
        n,
        expect.stringContaining(`aff_ref=${id}`),
      ]);
    const told = async () =>
      (await desk.owner.get<WholeVisit>(`/visits/${id}`)).body.buttonClicks.map((c) => [c.n, c.told]);
    await until(async () => (await told()).length === 6, 'the clicks');
    expect(await told()).toEqual([
      [2, ''],
      [3, '3'],
      [0, '0'],
      [0, '01'],
      [0, '1 '],
      [0, 'x'],
    ]);
  });
});
