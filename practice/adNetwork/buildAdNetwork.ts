/** An ad network, simulated: campaigns with a pasted tracking link, visits singly or as a stream, a log of what it was told. */
import express, { type Express } from 'express';
import { html, page, type Html } from '../page/html.ts';
import { KeptState } from '../page/keptState.ts';
import type { Character } from './characters.ts';
import { hearConversions, heardPart, time, type Heard } from './hearConversions.ts';
import { fillMacros } from './fillMacros.ts';
import { order, sendVisit, USUAL_PRICE, type SentVisit } from './sendVisit.ts';
import { bill, SPEND_KEY, spendRoutes, spentToday, type Spend } from './spend.ts';
import { countries, makeVisitor, type Mix, type Visitor } from './visitors.ts';
import { BOT_SHARE, gapMs, orderDelayMs, sites, type Flow } from '../habits/traffic.ts';

interface Campaign {
  id: number;
  name: string;
  link: string;
  sent: SentVisit[];
  /** Steady traffic, also after a restart, so that the screens live. */
  flow?: Flow;
}
/** An order that a visitor will place. */
interface Due {
  at: number;
  location: string;
}
interface State extends Heard {
  campaigns: Campaign[];
  due: Due[];
  /** Older states have none. */
  spend?: Spend;
}
const KEPT = 200;
/** A practice stream tries things out; it is no load test. */
const MAX_PER_SECOND = 50;
/** *Keep it going* of a campaign that was made by hand. */
const STEADY: Flow = { perDay: 620, buys: 0.0088, country: 'BE', price: 0.056 };
const ORDERS_EVERY_MS = 5000;

export interface AdNetworkOptions {
  character: Character;
  host: string;
  /** Visits leave for this origin only, so that the practice network cannot be pointed at anybody else. */
  trackingOrigin: () => string;
  stateFile: string | null;
}

export function buildAdNetwork(options: AdNetworkOptions): { app: Express; stop: () => void } {
  const network = new AdNetwork(options);
  const app = express();
  app.disable('x-powered-by');
  app.use(express.urlencoded({ extended: false }));
  app.use(express.text({ type: 'application/json' }));
  campaignRoutes(app, network, options);
  visitRoutes(app, network);
  spendRoutes(app, () => network.kept.value.spend ?? {});
  hearConversions(app, options.character, network);
  return { app, stop: () => network.stop() };
}

/** What the network remembers, and the visits that it sends. */
class AdNetwork {
  readonly kept: KeptState<State>;
  private readonly streams = new Map<number, NodeJS.Timeout>();
  private readonly flows = new Map<number, NodeJS.Timeout>();
  private readonly orders: NodeJS.Timeout;

  constructor(private readonly options: AdNetworkOptions) {
    this.kept = new KeptState<State>(options.stateFile, { campaigns: [], postbacks: [], due: [] });
    for (const c of this.kept.value.campaigns) if (c.flow) this.keepGoing(c, c.flow);
    this.orders = setInterval(() => this.placeOrders(Date.now()), ORDERS_EVERY_MS);
  }
  find(id: string | undefined): Campaign | undefined {
    return this.kept.value.campaigns.find((c) => c.id === Number(id));
  }
  add(name: string, link: string): number {
    const id = 1 + Math.max(0, ...this.kept.value.campaigns.map((c) => c.id));
    this.kept.value.campaigns.push({ id, name: name || `Campaign ${id}`, link, sent: [] });
    this.kept.changed();
    return id;
  }
  hear(query: string): void {
    this.kept.value.postbacks = [{ at: Date.now(), query }, ...this.kept.value.postbacks].slice(0, KEPT);
    this.kept.changed();
  }
  /** What it answers to conversions from now on. */
  get refuses(): boolean {
    return this.kept.value.refuses === true;
  }
  set refuses(does: boolean) {
    this.kept.value.refuses = does;
    this.kept.changed();
  }
  /** One visit; a link that does not answer is logged like any other. */
  async send(campaign: Campaign, mix: Mix, buyShare: number): Promise<void> {
    await this.sendAs(campaign, makeVisitor(mix, Math.random), buyShare);
  }
  private async sendAs(
    campaign: Campaign,
    visitor: Visitor,
    buyShare: number,
    price?: number,
  ): Promise<SentVisit> {
    const now = Date.now();
    const { host, character } = this.options;
    const sent = await sendVisit(
      campaign.link,
      visitor,
      buyShare,
      host,
      Math.random,
      now,
      character,
      price,
    ).catch((error: unknown): SentVisit => ({
      at: now,
      url: campaign.link,
      clickId: '',
      status: 0,
      location: String(error),
      bought: false,
    }));
    campaign.sent = [sent, ...campaign.sent].slice(0, KEPT);
    bill((this.kept.value.spend ??= {}), campaign.name, visitor.site, sent, price ?? USUAL_PRICE);
    this.kept.changed();
    return sent;
  }
  isStreaming(campaign: Campaign): boolean {
    return this.streams.has(campaign.id);
  }
  startStream(campaign: Campaign, perSecond: number, mix: Mix, buyShare: number): void {
    this.stopStream(campaign);
    const timer = setInterval(() => void this.send(campaign, mix, buyShare), 1000 / perSecond);
    this.streams.set(campaign.id, timer);
  }
  stopStream(campaign: Campaign): void {
    clearInterval(this.streams.get(campaign.id));
    this.streams.delete(campaign.id);
  }
  keepGoing(campaign: Campaign, flow: Flow | null): void {
    clearTimeout(this.flows.get(campaign.id));
    if (flow) campaign.flow = flow;
    else delete campaign.flow;
    this.kept.changed();
    if (!flow) return;
    const next = (): void => {
      const timer = setTimeout(
        () => {
          next();
          void this.sendSteady(campaign, flow);
        },
        gapMs(flow, Date.now(), Math.random),
      );
      this.flows.set(campaign.id, timer);
    };
    next();
  }
  /** One visit of a steady flow; who will buy does so hours later. */
  private async sendSteady(campaign: Campaign, flow: Flow): Promise<void> {
    const visitor = makeVisitor({ countries: [flow.country], devices: [], bots: BOT_SHARE }, Math.random);
    const sent = await this.sendAs(campaign, visitor, 0, flow.price);
    const quality = sites.find(([site]) => site === visitor.site)?.[2] ?? 1;
    if (visitor.isBot || sent.location === '' || Math.random() >= flow.buys * quality) return;
    this.kept.value.due.push({ at: Date.now() + orderDelayMs(Math.random), location: sent.location });
    this.kept.changed();
  }
  private placeOrders(nowMs: number): void {
    const due = this.kept.value.due.filter((d) => d.at <= nowMs);
    if (due.length === 0) return;
    this.kept.value.due = this.kept.value.due.filter((d) => d.at > nowMs);
    this.kept.changed();
    for (const { location } of due) void order(location);
  }
  stop(): void {
    clearInterval(this.orders);
    for (const timer of this.flows.values()) clearTimeout(timer);
    for (const timer of this.streams.values()) clearInterval(timer);
    this.kept.write();
  }
}

const message = (accent: string, title: string, words: Html): string =>
  page(
    title,
    accent,
    html`<h1>${title}</h1>
      <p>${words}</p>
      <p><a href="/">Back</a></p>`,
  );

function campaignRoutes(app: Express, network: AdNetwork, options: AdNetworkOptions): void {
  const { character } = options;
  const { name, accent } = character;
  app.get('/', (_req, res) => {
    res.send(page(`${name} (practice)`, accent, overview(character, network.kept.value)));
  });
  app.post('/campaigns', (req, res) => {
    const body = (req.body ?? {}) as Record<string, string>;
    const link = (body.link ?? '').trim();
    const allowed = `${options.trackingOrigin()}/v/`;
    if (link.startsWith(allowed))
      res.redirect(303, `/campaigns/${network.add((body.name ?? '').trim(), link)}`);
    else
      res
        .status(422)
        .send(message(accent, 'Refused', html`This practice network sends visits only to ${allowed}….`));
  });
  app.get('/campaigns/:id', (req, res) => {
    const c = network.find(req.params.id);
    if (!c)
      return void res
        .status(404)
        .send(message(accent, 'No such campaign', html`It may belong to another practice network.`));
    res.send(page(`${c.name} (practice)`, accent, campaignPage(character, c, network.isStreaming(c))));
  });
}

function visitRoutes(app: Express, network: AdNetwork): void {
  app.post('/campaigns/:id/visit', async (req, res) => {
    const c = network.find(req.params.id);
    if (!c) return void res.status(404).end();
    const { country, device } = (req.body ?? {}) as Record<string, string>;
    await network.send(
      c,
      { countries: country ? [country] : [], devices: device ? [device] : [], bots: 0 },
      0,
    );
    res.redirect(303, `/campaigns/${c.id}`);
  });
  app.post('/campaigns/:id/keep-going', (req, res) => {
    const c = network.find(req.params.id);
    if (!c) return void res.status(404).end();
    network.keepGoing(c, ((req.body ?? {}) as Record<string, string>).do === 'start' ? STEADY : null);
    res.redirect(303, `/campaigns/${c.id}`);
  });
  app.post('/campaigns/:id/stream', (req, res) => {
    const c = network.find(req.params.id);
    if (!c) return void res.status(404).end();
    const body = (req.body ?? {}) as Record<string, string>;
    const share = (name: string): number => Math.min(1, Math.max(0, (Number(body[name]) || 0) / 100));
    const wanted = (body.countries ?? '').toUpperCase().split(/[\s,]+/);
    const mix: Mix = {
      countries: wanted.filter((x) => countries.includes(x)),
      devices: [],
      bots: share('bots'),
    };
    const rate = Math.min(MAX_PER_SECOND, Math.max(0.1, Number(body.rate) || 1));
    if (body.do === 'start') network.startStream(c, rate, mix, share('buys'));
    else network.stopStream(c);
    res.redirect(303, `/campaigns/${c.id}`);
  });
}

function overview(character: Character, state: State): Html {
  return html`<h1>${character.name}</h1>
    <p>
      Sells visits. Macros: <code>${character.macros}</code>. Takes conversions by
      <code>${character.hears}</code>
    </p>
    <p>
      Today costs ${spentToday(state.spend ?? {}, Date.now())} EUR so far. Its API tells the cost of each day
      by site:
      <code>/api/spend?date={day}</code> with the parameter <code>key=${SPEND_KEY}</code>.
      <a href="/api/spend/template.json" download>Template for your tracker</a>
    </p>
    <h2>New campaign</h2>
    <form method="post" action="/campaigns">
      <label>Name <input name="name" /></label>
      <label>Tracking link <textarea name="link" rows="2" required></textarea></label>
      <p><button>Create campaign</button></p>
    </form>
    <h2>Campaigns</h2>
    <table>
      <tr>
        <th>Name</th>
        <th>Visits sent</th>
      </tr>
      ${state.campaigns.map(
        (c) =>
          html`<tr>
            <td><a href="/campaigns/${c.id}">${c.name}</a></td>
            <td>${c.sent.length}${c.sent.length === KEPT ? ' or more' : ''}</td>
          </tr>`,
      )}
    </table>
    ${heardPart(state)}`;
}

function campaignPage(character: Character, c: Campaign, streaming: boolean): Html {
  const sample = fillMacros(c.link, character.shape, {
    click: `${character.clickPrefix}-sample`,
    site: 'kiosk-nord.example',
    zone: '1018',
    ad: 'ad-1',
    title: 'See the rings of Saturn',
    keyword: 'star map',
    campaign: 'kits-autumn',
    cost: '0.0310',
    country: 'BE',
  });
  return html`<p><a href="/">← ${character.name}</a></p>
    <h1>${c.name}</h1>
    <p>Your link: <code>${c.link}</code></p>
    <p>With our macros filled: <code id="filled">${sample}</code></p>
    <h2>Send one visit</h2>
    <form method="post" action="/campaigns/${c.id}/visit" class="row">
      <label
        >Country
        <select name="country">
          <option value="">any</option>
          ${countries.map((x) => html`<option>${x}</option>`)}
        </select></label
      >
      <label
        >Device
        <select name="device">
          <option value="">any</option>
          <option value="phone">phone</option>
          <option value="iphone">iPhone</option>
          <option value="tablet">tablet</option>
          <option value="desktop">desktop</option>
        </select></label
      >
      <button id="send">Send one visit</button>
    </form>
    <h2>Stream</h2>
    <form method="post" action="/campaigns/${c.id}/stream" class="row">
      <label>Visits per second <input name="rate" value="2" size="4" /></label>
      <label>Countries <input name="countries" placeholder="any" /></label>
      <label>Bots, % <input name="bots" value="5" size="3" /></label>
      <label>Buy something, % <input name="buys" value="10" size="3" /></label>
      ${streaming ? html`<button name="do" value="stop">Stop the stream</button>` : html`<button name="do" value="start">Start the stream</button>`}
    </form>
    <form method="post" action="/campaigns/${c.id}/keep-going" class="row">
      ${c.flow ? html`<span>About ${Math.round(c.flow.perDay)} visitors a day come by themselves.</span><button name="do" value="stop">Stop background visits</button>` : html`<button name="do" value="start">Keep it going</button>`}
    </form>
    <h2>Visits sent</h2>
    <table id="sent">
      <tr>
        <th>Time (UTC)</th>
        <th>Our click</th>
        <th>Answer</th>
        <th>Redirected to</th>
      </tr>
      ${c.sent.slice(0, 30).map(
        (v) =>
          html`<tr>
            <td>${time(v.at)}</td>
            <td><code>${v.clickId}</code></td>
            <td>${v.status === 0 ? 'no answer' : v.status}${v.bought ? ', bought' : ''}</td>
            <td>
              <a class="onward" href="${v.location}"><code>${v.location}</code></a>
            </td>
          </tr>`,
      )}
    </table>`;
}
