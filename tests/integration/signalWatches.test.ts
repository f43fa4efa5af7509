/** Signal watches: troubles that begin, are told once, are explained by a greater one, and end; in real figures and by real looks. */
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import type { DomainRow, Notice, PartRecord, Signal, SignalKind } from '@tracheon/core/contract';
import { buildMailbox, type Mail } from '../../practice/mailbox/buildMailbox.ts';
import { makeDomainChecker } from '../../server/domains/checkDomain.ts';
import { ulidAt } from '../../server/db/pooledUlid.ts';
import { makeMailer } from '../../server/notices/mailer.ts';
import { makePageFetcher } from '../../server/pages/fetchPage.ts';
import { makeWalk } from '../../server/setup/walk.ts';
import { DatabaseTrouble } from '../../server/signalWatches/databaseTrouble.ts';
import type { FoundSignal } from '../../server/signalWatches/reconcile.ts';
import { ServerTrouble } from '../../server/signalWatches/serverTrouble.ts';
import {
  lookForSignals,
  lookNow,
  signalLooks,
  type SignalDeps,
} from '../../server/signalWatches/signalJobs.ts';
import type { OwnDesk } from './ownServer.ts';
import { until, type Chain } from './testDesk.ts';
import { HOUR_MS, WatchDesk } from './watchDesk.ts';

/** A partner's and our own pages, as they are told to be. */
const site = { title: 'Fly a kite', status: 200, to: '', html: '' };
let server: Server;
let siteAt = '';
let w: WatchDesk;
let desk: OwnDesk;
beforeAll(async () => {
  server = createServer((req, res) => {
    res.setHeader('Content-Type', 'text/html');
    if (req.url!.startsWith('/page')) return void res.writeHead(site.status).end(site.html);
    if (site.to !== '') return void res.writeHead(302, { Location: site.to }).end();
    res
      .writeHead(site.status)
      .end(`<html><head><title>${site.title}</title></head><body>Order</body></html>`);
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.9', done));
  siteAt = `127.0.0.9:${(server.address() as AddressInfo).port}`;
  w = await WatchDesk.open({ TRACHEON_ALLOW_OUTGOING: siteAt });
  desk = w.desk;
});
afterAll(async () => {
  await w.close();
  server.close();
  server.closeAllConnections();
});
beforeEach(() => {
  w.nowMs = Math.max(w.nowMs, Date.now()) + 60_000;
  w.waiting = 0;
});

const allowed = () => new Set([siteAt]);
const deps = (more: Partial<SignalDeps> = {}): SignalDeps => ({
  ...w.deps(),
  fetchPage: makePageFetcher(allowed(), []),
  walk: makeWalk(allowed()),
  checkDomain: makeDomainChecker('a secret', allowed()),
  secret: 'a secret',
  allowOutgoing: allowed(),
  listening: desk.tracking,
  server: new ServerTrouble({
    dataFolder: desk.config.dataFolder,
    spoolFiles: () => Promise.resolve(w.waiting),
  }),
  ...more,
});
async function looks(which: keyof typeof signalLooks, more: Partial<SignalDeps> = {}): Promise<void> {
  await w.caughtUp();
  await lookForSignals(deps(more), signalLooks[which]);
  expect(w.troubles).toEqual([]);
}
const open = async (kind?: SignalKind): Promise<Signal[]> =>
  (await desk.owner.get<{ open: Signal[] }>('/signals')).body.open.filter((s) => !kind || s.kind === kind);
const about = async (kind: SignalKind, name: string): Promise<Signal | undefined> =>
  (await open(kind)).find((s) => s.name === name);
const notices = async (title: string): Promise<Notice[]> =>
  (await desk.owner.get<{ notices: Notice[] }>('/notices')).body.notices.filter((n) =>
    n.title.includes(title),
  );
const nameOf = ({ body }: PartRecord): string => body.name;
const DAY_HOURS = 24;

describe('figures', () => {
  /** Two campaigns of one source that got visits at these hours of each day before. */
  async function usual(count: number, micros: number): Promise<Chain> {
    const of = await desk.chain({ offer: { payoutMicros: '10000000', currency: 'EUR' } });
    for (let day = 1; day <= 7; day++) await w.visits(of, count, micros, { hoursAgo: day * DAY_HOURS + 1 });
    return of;
  }

  it('visits that stay away are told once for each source, and end when they are back', async () => {
    const of = await usual(20, 1000);
    const { body } = of.campaign;
    const second = (await desk.owner.post<PartRecord>('/parts/campaign', { ...body, name: `${body.name} b` }))
      .body;
    for (let day = 1; day <= 7; day++)
      await w.visits(of, 20, 1000, { hoursAgo: day * DAY_HOURS + 1, more: { campaignId: second.id } });
    await looks('often');
    const found = await about('no_visits', nameOf(of.campaign));
    expect(found!.sentence).toContain('no visit in the last 3 hours; usually 20 at these hours.');
    expect(found!.sure).toBe('more than 99.9 % sure');
    expect(Date.now() - Date.parse(found!.since)).toBeGreaterThan(24 * HOUR_MS);
    const told = await notices(nameOf(of.source));
    expect(told).toHaveLength(1);
    expect(told[0]!.title).toBe(`No visits: ${nameOf(of.source)}`);
    expect(told[0]!.text).toContain(second.body.name);
    await looks('often');
    expect(await notices(nameOf(of.source))).toHaveLength(1);
    await w.visits(of, 3, 1000, { hoursAgo: 0.5 });
    await looks('often');
    expect(await about('no_visits', nameOf(of.campaign))).toBeUndefined();
    // What comes back so soon is not told anew; a member can say that it is right.
    w.nowMs += 4 * HOUR_MS;
    await desk.owner.post(`/signals/${(await about('no_visits', second.body.name))!.id}/accept`, {});
    await looks('often');
    expect(await about('no_visits', second.body.name)).toBeUndefined();
    expect(await notices(nameOf(of.source))).toHaveLength(1);
    w.nowMs -= 4 * HOUR_MS;
  });

  it('say nothing while rows wait, or a tracking domain explains it', async () => {
    const of = await usual(30, 1000);
    w.waiting = 2;
    await looks('often');
    expect(await about('no_visits', nameOf(of.campaign))).toBeUndefined();
    w.waiting = 0;
    const domain = await desk.owner.post<DomainRow>('/domains', {
      origin: 'https://track.kites.invalid',
      isDefault: false,
      fallbackUrl: '',
      paths: [],
    });
    expect(domain.status).toBeLessThan(300);
    // The domains are looked at last: this time both are new, the next campaign is explained.
    await looks('often');
    expect((await open('domain_trouble')).map((s) => s.sentence)).toEqual([
      'track.kites.invalid has no DNS address yet.',
    ]);
    const late = await usual(30, 1000);
    await looks('often');
    expect(await about('no_visits', nameOf(late.campaign))).toBeDefined();
    expect(await notices(nameOf(late.source))).toEqual([]);
    await desk.owner.remove(`/domains/${domain.body.id}`);
    await looks('often');
    expect(await open('domain_trouble')).toEqual([]);
  });

  it('spend that runs away is found by its own past', async () => {
    const of = await usual(20, 100_000);
    await w.visits(of, 20, 100_000, { hoursAgo: 1 });
    await looks('often');
    expect(await about('spend_runs', nameOf(of.campaign))).toBeUndefined();
    await w.visits(of, 400, 100_000, { hoursAgo: 1 });
    await looks('often');
    expect((await about('spend_runs', nameOf(of.campaign)))!.sentence).toContain(
      '42.00 EUR spent in the last 3 hours; usually 2.00 at these hours.',
    );
  });

  it('postbacks that stay away are found by the offer’s own rate and delay', async () => {
    const of = await desk.chain({ offer: { payoutMicros: '10000000', currency: 'EUR' } });
    const known = await w.visits(of, 200, 1000, { hoursAgo: 10 * DAY_HOURS });
    for (const [i, id] of known.slice(0, 20).entries())
      await desk.say(of.network.key, `click_id=${id}&payout=10&currency=EUR&transaction=s-${i}&status=ok`);
    // Of these, a tenth would have converted.
    await w.visits(of, 150, 1000, { hoursAgo: 20 });
    await looks('often');
    expect(await about('no_postbacks', nameOf(of.offer))).toBeUndefined();
    await desk.pool.query(
      `UPDATE conversions SET created_at = now() - interval '25 hours', updated_at = now() - interval '25 hours' WHERE offer_id = $1`,
      [of.offer.id],
    );
    await looks('often');
    const found = await about('no_postbacks', nameOf(of.offer));
    expect(found!.sentence).toMatch(/no postback for 2[56] hours, where about 1\d were to be expected/);
    expect((await notices(nameOf(of.offer)))[0]!.title).toBe(`No postbacks: ${nameOf(of.offer)}`);
    // A watch that would act on what such an offer lacks asks instead; another offer’s does not.
    const other = await desk.chain({ offer: { payoutMicros: '10000000', currency: 'EUR' } });
    await w.visits(other, 150, 1000, { hoursAgo: 20 });
    const losing = {
      conditions: [{ figure: 'profitMicros', is: '<' as const, than: 0, unit: 'own' as const }],
    };
    const watches = await Promise.all(
      [of, other].map((o) =>
        w.add(w.watchOn(o, { act: 'block', isGuarded: false, windowHours: 72, ...losing })),
      ),
    );
    await w.check();
    const states = await Promise.all(watches.map(async (one) => (await w.history(one)).findings[0]!));
    expect(states.map((f) => f.state)).toEqual(['asked', 'done']);
    expect(states[0]!.why).toContain('no postback for');
    for (const one of watches) await w.off(one);
  });
});

describe('postbacks and visits', () => {
  it('a new status, fewer matches, and a source that takes nothing', async () => {
    const of = await desk.chain({
      offer: { payoutMicros: '10000000', currency: 'EUR' },
      source: { postbackUrl: `http://127.0.0.9:1/pb?c={source_click_id}` },
    });
    const ids = await w.visits(of, 40, 1000, { hoursAgo: 5, more: { sourceClickId: 'c' } });
    for (const [i, id] of ids.entries())
      await desk.say(of.network.key, `click_id=${id}&payout=10&currency=EUR&transaction=m-${i}&status=ok`);
    await desk.say(of.network.key, `click_id=${ids[0]}&payout=10&transaction=m-x&status=bounced`);
    await looks('often');
    expect((await about('new_word', nameOf(of.network)))!.sentence).toContain(
      'sends the status “bounced”, which is not mapped: 1 postback waits.',
    );
    expect(await about('match_falls', nameOf(of.network))).toBeUndefined();
    // As if these had come days ago; of those that come now, none matches.
    await desk.pool.query(
      `UPDATE outcomes SET receipt_id = $2 || substr(receipt_id, 11) WHERE network_id = $1 AND outcome <> 'repair'`,
      [of.network.id, ulidAt(Date.now() - 3 * DAY_HOURS * HOUR_MS).slice(0, 10)],
    );
    for (let i = 0; i < 20; i++)
      await desk.say(of.network.key, `click_id=gone-${i}&payout=10&currency=EUR&status=ok`);
    await looks('often');
    expect((await about('match_falls', nameOf(of.network)))!.sentence).toMatch(
      /: \d+ % of \d+ postbacks of the last 24 hours match a visit; before it was 100 %\.$/,
    );
    await until(async () => {
      const { rows } = await desk.pool.query<{ n: number }>(
        `SELECT count(*)::int AS n FROM attempts a JOIN outbox b ON b.id = a.outbox_id WHERE b.destination_id = $1`,
        [of.source.id],
      );
      return rows[0]!.n >= 5;
    }, 'five tries');
    await looks('often');
    expect((await about('sends_fail', nameOf(of.source)))!.sentence).toMatch(
      /took none of your postbacks in the last hour: \d+ tries failed/,
    );
  });

  it('macros that come as they stand, and paid visits to a paused campaign', async () => {
    const of = await desk.chain();
    for (let i = 0; i < 3; i++) await of.send('clk=c&site=[site]&title={headline}&bid=0.1');
    await looks('often');
    const found = (await open('unfilled_macros')).filter((s) => s.name === nameOf(of.source));
    expect(found.map((s) => /“(\w+)”/.exec(s.sentence)![1]).sort()).toEqual(['site', 'title']);
    expect(await notices(nameOf(of.source))).toHaveLength(1);
    await desk.owner.put(`/parts/campaign/${of.campaign.id}/state`, { state: 'paused' });
    await w.visits(of, 5, 200_000, { hoursAgo: -0.1 });
    await looks('often');
    expect(await about('paid_while_paused', nameOf(of.campaign))).toBeUndefined();
    await w.visits(of, 5, 200_000, { hoursAgo: -0.4 });
    await looks('often');
    expect((await about('paid_while_paused', nameOf(of.campaign)))!.sentence).toContain(
      '5 paid visits since, 1.00 spent.',
    );
  });

  it('a cap that is almost reached', async () => {
    const of = await desk.chain({ offer: { capCount: 10, capPeriod: 'total', currency: 'EUR' } });
    for (let i = 0; i < 9; i++) {
      if (i === 8) {
        await looks('often');
        expect(await about('cap_near', nameOf(of.offer))).toBeUndefined();
      }
      await desk.say(
        of.network.key,
        `click_id=${await of.send()}&payout=1&currency=EUR&transaction=k-${i}&status=ok`,
      );
    }
    await looks('often');
    expect((await about('cap_near', nameOf(of.offer)))!.sentence).toContain(
      'has 9 of 10 conversions of its cap.',
    );
  });
});

describe('looks', () => {
  it('see a button and a script go, and a page that is gone', async () => {
    const page = (
      await desk.owner.post<PartRecord<'landing-page'>>('/parts/landing-page', {
        name: 'Kites',
        url: `http://${siteAt}/page`,
        buttons: 1,
      })
    ).body;
    const of = await desk.chain();
    const now = (await desk.owner.get<PartRecord<'campaign'>>(`/parts/campaign/${of.campaign.id}`)).body;
    await desk.owner.put(`/parts/campaign/${now.id}`, {
      version: now.version,
      body: { ...now.body, landingPageId: page.id },
    });
    const button = `<a href="${desk.tracking}/b/${page.key}">Order</a>`;
    const script = `<script src="${desk.tracking}/page.js"></script>`;
    site.html = `<html><head>${script}</head><body>${button}</body></html>`;
    await looks('pages');
    expect(await open('page_broken')).toEqual([]);
    site.html = `<html><head></head><body>${button}</body></html>`;
    await looks('pages');
    await looks('pages');
    expect((await open('page_broken')).map((s) => s.sentence.slice(0, 30))).toEqual([
      'Kites: the script that was on ',
    ]);
    site.html = '<html><body></body></html>';
    await looks('pages');
    expect((await open('page_broken')).map((s) => s.sentence)).toContain(
      'Kites: The link of button 1 is not on the page.',
    );
    expect(await notices('Landing page broken: Kites')).toHaveLength(2);
    site.html = `<html><head>${script}</head><body>${button}</body></html>`;
    // A look that began before the last one, and ends after it, saw how things were.
    w.nowMs -= 1000;
    await looks('pages');
    expect(await open('page_broken')).not.toEqual([]);
    w.nowMs += 1000;
    await looks('pages');
    expect(await open('page_broken')).toEqual([]);
    // A clock that was set back keeps nobody from looking.
    w.nowMs -= HOUR_MS;
    site.html = '<html><body></body></html>';
    await looks('pages');
    expect(await open('page_broken')).not.toEqual([]);
  });

  it('see an offer’s page change, die, and lead back to us; a member says what is right', async () => {
    // The pages of the other offers are not there.
    await desk.pool.query(
      `UPDATE parts SET body = body || '{"sending": "draft"}' WHERE desk_id = $1 AND kind = 'offer'`,
      [desk.deskId],
    );
    const of = await desk.chain({ offer: { link: `http://${siteAt}/o/4471`, currency: 'EUR' } });
    const says = async () => (await about('offer_changed', nameOf(of.offer)))?.sentence ?? '';
    await looks('offers');
    expect(await says()).toBe('');
    site.title = 'Sign up for the news';
    await looks('offers');
    expect(await says()).toContain('its page has another title: “Sign up for the news”.');
    await desk.owner.post(`/signals/${(await about('offer_changed', nameOf(of.offer)))!.id}/accept`, {});
    await looks('offers');
    expect(await says()).toBe('');
    site.status = 404;
    await looks('offers');
    expect(await says()).toContain('the last page is missing: it answers 404.');
    site.status = 200;
    site.to = `${desk.tracking}/v/anything`;
    await looks('offers');
    expect(await says()).toContain('leads back to your own tracking domain.');
    site.to = '';
    await looks('offers');
    expect(await says()).toBe('');
    const network = (await desk.owner.get<PartRecord<'network'>>(`/parts/network/${of.network.id}`)).body;
    await desk.owner.put(`/parts/network/${network.id}`, {
      version: network.version,
      body: { ...network.body, noLooks: true },
    });
    site.status = 500;
    await looks('offers');
    expect(await says()).toBe('');
    site.status = 200;
  });
});

describe('the server itself', () => {
  it('says that rows wait on disk once they have waited for a minute', async () => {
    const own = new ServerTrouble({
      dataFolder: desk.config.dataFolder,
      spoolFiles: () => Promise.resolve(w.waiting),
    });
    w.waiting = 3;
    await looks('server', { server: own });
    expect(await open('server_trouble')).toEqual([]);
    w.nowMs += 61_000;
    await looks('server', { server: own });
    expect((await open('server_trouble'))[0]!.sentence).toContain(
      '3 files of visits and postbacks wait on disk',
    );
    await desk.owner.put('/signals', { off: ['server_trouble'] });
    expect(await open('server_trouble')).toEqual([]);
    await looks('server', { server: own });
    expect(await open('server_trouble')).toEqual([]);
    await desk.owner.put('/signals', { off: [] });
  });

  it('writes an e-mail about a database that is away, to those who were kept on disk, and one when it is back', async () => {
    const mailbox = buildMailbox({ stateFile: null });
    const page = createServer(mailbox.app);
    await new Promise<void>((done) => mailbox.smtp.listen(0, '127.0.0.8', done));
    await new Promise<void>((done) => page.listen(0, '127.0.0.8', done));
    const { port } = mailbox.smtp.address() as AddressInfo;
    const mailer = makeMailer({ smtpUrl: `smtp://127.0.0.8:${port}`, from: 'tracheon@desk.example' });
    const folder = mkdtempSync(join(tmpdir(), 'tracheon-away-'));
    const mails = async (): Promise<Mail[]> =>
      (await fetch(`http://127.0.0.8:${(page.address() as AddressInfo).port}/mails.json`)).json() as Promise<
        Mail[]
      >;
    let isAway = false;
    let nowMs = 0;
    let n = 0;
    const make = () =>
      new DatabaseTrouble({
        pool: desk.pool,
        dataFolder: folder,
        mail: mailer.send,
        isAway: () => isAway,
        deskOrigin: 'http://127.0.0.1:7400',
        now: () => nowMs,
        newId: () => `id-${(n += 1)}`,
      });
    const [me] = (await desk.owner.get<{ id: string }[]>('/members')).body;
    // The server of the test has no mail server: its settings can't name anybody.
    await desk.owner.get('/notice-settings');
    await desk.pool.query('UPDATE notice_settings SET mail_to = $1', [JSON.stringify([me!.id])]);
    await make().look();
    // Another process, started while the database is away.
    isAway = true;
    const later = make();
    await later.look();
    nowMs += 59_000;
    await later.look();
    expect(await mails()).toEqual([]);
    const manner = (to: string): Promise<unknown> =>
      fetch(`http://127.0.0.8:${(page.address() as AddressInfo).port}/manner`, {
        method: 'POST',
        body: new URLSearchParams({ manner: to }),
      });
    await manner('later');
    nowMs += 2000;
    await later.look();
    expect(await mails()).toEqual([]);
    // The mail server takes it a minute later, once.
    await manner('takes');
    nowMs += 61_000;
    await later.look();
    nowMs += 61_000;
    await later.look();
    expect((await mails()).map((m) => m.subject)).toEqual([
      'Hobby kits, Ghent: The database does not answer',
    ]);
    isAway = false;
    await later.look();
    expect((await mails())[0]!.subject).toBe('Hobby kits, Ghent: The database answers again');
    mailer.close();
    mailbox.stop();
    page.close();
    page.closeAllConnections();
    rmSync(folder, { recursive: true, force: true });
  });
});

it('looks once more where it is asked to while it looks: what the look under way saw may be older', async () => {
  const going: (() => void)[] = [];
  const slow = {
    look: () => new Promise<FoundSignal[]>((done) => going.push(() => done([]))),
  } as unknown as ServerTrouble;
  const look = () => lookNow(deps({ server: slow }), desk.deskId, 'server_trouble');
  const first = look();
  await until(() => Promise.resolve(going.length === 1), 'the first look');
  await Promise.all([look(), look()]);
  expect(going).toHaveLength(1);
  going[0]!();
  await until(() => Promise.resolve(going.length === 2), 'one more look');
  going[1]!();
  await first;
  expect(going).toHaveLength(2);
});
