/** Moorhen Push, simulated: campaigns with a pasted tracking link, visits singly or as a stream, a log of postbacks. */
import express, { type Express } from 'express';
import { html, page, type Html } from '../page/html.ts';
import { KeptState } from '../page/keptState.ts';
import { fillMacros } from './fillMacros.ts';
import { sendVisit, type SentVisit } from './sendVisit.ts';
import { countries, makeVisitor, type Mix } from './visitors.ts';

interface Campaign {
  id: number;
  name: string;
  link: string;
  sent: SentVisit[];
}
interface Postback {
  at: number;
  query: string;
}
interface State {
  campaigns: Campaign[];
  postbacks: Postback[];
}
const KEPT = 200;
const FIVE_MINUTES_MS = 5 * 60 * 1000;
/** A practice stream tries things out; it is no load test. */
const MAX_PER_SECOND = 50;
const ACCENT = '#7a3b12';

export interface AdNetworkOptions {
  host: string;
  /** Visits leave for this origin only, so that the practice network cannot be pointed at anybody else. */
  trackingOrigin: () => string;
  stateFile: string | null;
}

export function buildAdNetwork(options: AdNetworkOptions): { app: Express; stop: () => void } {
  const kept = new KeptState<State>(options.stateFile, { campaigns: [], postbacks: [] });
  const streams = new Map<number, NodeJS.Timeout>();
  const app = express();
  app.disable('x-powered-by');
  app.use(express.urlencoded({ extended: false }));
  const find = (id: string | undefined): Campaign | undefined =>
    kept.value.campaigns.find((c) => c.id === Number(id));

  const one = async (campaign: Campaign, mix: Mix, buyShare: number): Promise<void> => {
    const sent = await sendVisit(
      campaign.link,
      makeVisitor(mix, Math.random),
      buyShare,
      options.host,
      Math.random,
      Date.now(),
    ).catch((error: unknown): SentVisit => ({
      at: Date.now(),
      url: campaign.link,
      clickId: '',
      status: 0,
      location: String(error),
      bought: false,
    }));
    campaign.sent = [sent, ...campaign.sent].slice(0, KEPT);
    kept.changed();
  };

  app.get('/', (_req, res) => void res.send(page('Moorhen Push (practice)', ACCENT, overview(kept.value))));
  app.post('/campaigns', (req, res) => {
    const body = req.body as Record<string, string>;
    const link = (body.link ?? '').trim();
    if (!link.startsWith(`${options.trackingOrigin()}/v/`)) {
      res.status(422).send(
        page(
          'Refused',
          ACCENT,
          html`<h1>Refused</h1>
            <p>This practice network sends visits to ${options.trackingOrigin()}/v/… only.</p>
            <p><a href="/">Back</a></p>`,
        ),
      );
      return;
    }
    const id = 1 + Math.max(0, ...kept.value.campaigns.map((c) => c.id));
    kept.value.campaigns.push({ id, name: (body.name ?? '').trim() || `Campaign ${id}`, link, sent: [] });
    kept.changed();
    res.redirect(303, `/campaigns/${id}`);
  });
  app.get('/campaigns/:id', (req, res) => {
    const c = find(req.params.id);
    if (!c)
      return void res.status(404).send(
        page(
          'Not found',
          ACCENT,
          html`<h1>No such campaign</h1>
            <p><a href="/">Back</a></p>`,
        ),
      );
    res.send(page(`${c.name} (practice)`, ACCENT, campaignPage(c, streams.has(c.id))));
  });
  app.post('/campaigns/:id/visit', async (req, res) => {
    const c = find(req.params.id);
    if (!c) return void res.status(404).end();
    const body = req.body as Record<string, string>;
    await one(
      c,
      { countries: body.country ? [body.country] : [], devices: body.device ? [body.device] : [], bots: 0 },
      0,
    );
    res.redirect(303, `/campaigns/${c.id}`);
  });
  app.post('/campaigns/:id/stream', (req, res) => {
    const c = find(req.params.id);
    if (!c) return void res.status(404).end();
    const body = req.body as Record<string, string>;
    clearInterval(streams.get(c.id));
    streams.delete(c.id);
    if (body.do === 'start') {
      const rate = Math.min(MAX_PER_SECOND, Math.max(0.1, Number(body.rate) || 1));
      const share = (name: string): number => Math.min(1, Math.max(0, (Number(body[name]) || 0) / 100));
      const mix: Mix = {
        countries: (body.countries ?? '')
          .toUpperCase()
          .split(/[\s,]+/)
          .filter((x) => countries.includes(x)),
        devices: [],
        bots: share('bots'),
      };
      streams.set(
        c.id,
        setInterval(() => void one(c, mix, share('buys')), 1000 / rate),
      );
    }
    res.redirect(303, `/campaigns/${c.id}`);
  });
  app.get('/postback', (req, res) => {
    const query = req.originalUrl.split('?')[1] ?? '';
    kept.value.postbacks = [{ at: Date.now(), query }, ...kept.value.postbacks].slice(0, KEPT);
    kept.changed();
    res.type('text/plain').send('OK');
  });
  return {
    app,
    stop: () => {
      for (const timer of streams.values()) clearInterval(timer);
      kept.write();
    },
  };
}

const time = (ms: number): string => new Date(ms).toISOString().slice(11, 19);

function overview(state: State): Html {
  const recent = state.postbacks.filter((p) => Date.now() - p.at < FIVE_MINUTES_MS).length;
  return html`<h1>Moorhen Push</h1>
    <p>
      Sells visits. Macros, in any usual shape:
      <code>[click] [site] [zone] [ad] [title] [keyword] [campaign] [cost] [country]</code>. Its conversion
      address: <code>/postback?uid=…&amp;sum=…</code>
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
    <h2>Conversions told to us</h2>
    <p>In the last five minutes: <strong id="recent">${recent}</strong></p>
    <table id="postbacks">
      <tr>
        <th>Time (UTC)</th>
        <th>Query</th>
      </tr>
      ${state.postbacks.slice(0, 50).map(
        (p) =>
          html`<tr>
            <td>${time(p.at)}</td>
            <td><code>${p.query}</code></td>
          </tr>`,
      )}
    </table>`;
}

function campaignPage(c: Campaign, streaming: boolean): Html {
  const sample = fillMacros(c.link, {
    click: 'mh-sample',
    site: 'kiosk-nord.example',
    zone: '1018',
    ad: 'ad-1',
    title: 'See the rings of Saturn',
    keyword: 'star map',
    campaign: 'kits-autumn',
    cost: '0.0310',
    country: 'BE',
  });
  return html`<p><a href="/">← Moorhen Push</a></p>
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
    <h2>Visits sent</h2>
    <table id="sent">
      <tr>
        <th>Time (UTC)</th>
        <th>Our click</th>
        <th>Answer</th>
        <th>Sent on to</th>
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
