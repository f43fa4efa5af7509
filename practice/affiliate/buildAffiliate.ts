/** Larkspur CPA and the shops behind it, simulated: offer page, order form, thank-you; leads and the postbacks they fire. */
import { randomBytes } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import express, { type Express, type Request } from 'express';
import { Html, html, page } from '../page/html.ts';
import { decisionsOf } from '../habits/decisions.ts';
import { KeptState } from '../page/keptState.ts';
import { insistently } from './call.ts';
import {
  asLists,
  leadStates,
  manners,
  offers,
  postbackFor,
  SLOW_MS,
  statementCsv,
  templateFor,
  type Lead,
  type Manner,
} from './leads.ts';

interface State extends Manner {
  leads: Lead[];
  /** A tag for the shops' thank-you pages; empty or missing: none. */
  pixel?: string;
  /** Offers that have ended; missing: none. */
  ended?: string[];
}
const KEPT_LEADS = 1000;
const ACCENT = '#21406b';
const SHOP_ACCENT = '#2d5a3d';
const DECIDES_EVERY_MS = 15_000;
const GATHER_MS = 300;

export interface AffiliateOptions {
  /** Postbacks leave for this origin only. */
  trackingOrigin: () => string;
  stateFile: string | null;
}

export function buildAffiliate(options: AffiliateOptions): { app: Express; stop: () => void } {
  const network = new Affiliate(options);
  const app = express();
  app.disable('x-powered-by');
  app.use(express.urlencoded({ extended: false }));
  networkRoutes(app, network, options);
  shopRoutes(app, network);
  const timer = setInterval(() => network.decide(Date.now()), DECIDES_EVERY_MS);
  return {
    app,
    stop: () => {
      clearInterval(timer);
      network.kept.write();
    },
  };
}

/** The leads, and the server that calls about them in the manner that was chosen. */
class Affiliate {
  readonly kept: KeptState<State>;

  constructor(options: AffiliateOptions) {
    this.kept = new KeptState<State>(options.stateFile, { postback: '', manner: 'well', leads: [] });
  }
  /** Decides what is due; a lead that a member has decided by hand stays as it is. */
  decide(nowMs: number): void {
    for (const lead of this.kept.value.leads) {
      const [step] = lead.toCome;
      if (!step || step.at > nowMs) continue;
      lead.toCome = lead.toCome.slice(1);
      lead.state = step.state;
      this.kept.changed();
      void this.fire(lead);
    }
  }
  async fire(lead: Lead): Promise<void> {
    const { manner } = this.kept.value;
    if (templateFor(this.kept.value, lead.state) === '') return;
    if (manner === 'slow') await pause(SLOW_MS);
    await this.callOnce(lead);
    if (manner === 'twice') await this.callOnce(lead);
  }
  private async callOnce(lead: Lead): Promise<void> {
    const url = postbackFor(templateFor(this.kept.value, lead.state), lead, Date.now());
    if (this.kept.value.manner === 'lists') return this.callTogether(lead, url);
    this.note(
      lead,
      url,
      this.kept.value.manner === 'fails' ? 'not sent: this server is failing' : await insistently({ url }),
    );
  }
  private note(lead: Lead, url: string, result: string): void {
    lead.calls = [{ at: Date.now(), url, result }, ...lead.calls].slice(0, 20);
    this.kept.changed();
  }
  /** Those of one moment go together. */
  private async callTogether(lead: Lead, url: string): Promise<void> {
    this.together.push([lead, url]);
    if (this.together.length > 1) return;
    await pause(GATHER_MS);
    const all = this.together;
    this.together = [];
    for (const list of asLists(all.map(([, one]) => one))) {
      const result = await insistently(list);
      for (const [of, one] of all)
        if (one.startsWith(`${list.url}?`)) this.note(of, one, `in a list: ${result}`);
    }
  }
  private together: [Lead, string][] = [];
  take(offerId: string, ref: string, pub: string): Lead {
    const offer = offers[offerId]!;
    const now = Date.now();
    const lead: Lead = {
      id: `LK-${randomBytes(4).toString('hex').toUpperCase()}`,
      at: now,
      offer: offerId,
      ref,
      pub,
      amount: offer.amount,
      event: offer.event,
      state: 'waiting',
      calls: [],
      toCome: decisionsOf(now, Math.random),
    };
    this.kept.value.leads = [lead, ...this.kept.value.leads].slice(0, KEPT_LEADS);
    this.kept.changed();
    return lead;
  }
}

function networkRoutes(app: Express, network: Affiliate, options: AffiliateOptions): void {
  const { kept } = network;
  app.get('/', (req, res) => {
    res.send(page('Larkspur CPA (practice)', ACCENT, overview(kept.value, base(req))));
  });
  app.post('/settings', (req, res) => {
    const body = (req.body ?? {}) as Record<string, string>;
    const postback = (body.postback ?? '').trim();
    const allowed = `${options.trackingOrigin()}/in/`;
    const byState = Object.fromEntries(leadStates.map((s) => [s, (body[`postback ${s}`] ?? '').trim()]));
    if ([postback, ...Object.values(byState)].some((url) => url !== '' && !url.startsWith(allowed))) {
      const words = html`<h1>Refused</h1>
        <p>This practice network sends postbacks only to ${allowed}….</p>
        <p><a href="/">Back</a></p>`;
      return void res.status(422).send(page('Refused', ACCENT, words));
    }
    const pixel = (body.pixel ?? '').trim();
    const addresses = [...pixel.matchAll(/https?:\/\/[^"'\s>]+/g)].map(([address]) => address);
    if (pixel !== '' && (addresses.length === 0 || addresses.some((a) => !a.startsWith(allowed)))) {
      const words = html`<h1>Refused</h1>
        <p>The shops place only pixels that call ${allowed}….</p>
        <p><a href="/">Back</a></p>`;
      return void res.status(422).send(page('Refused', ACCENT, words));
    }
    const manner = manners.find((m) => m === body.manner) ?? 'well';
    Object.assign(kept.value, { postback, byState, manner, pixel });
    kept.changed();
    res.redirect(303, '/');
  });
  app.post('/offers/:offer', (req, res) => {
    const { offer } = req.params;
    if (!offers[offer]) return void res.status(404).end();
    const ended = kept.value.ended ?? [];
    kept.value.ended = ended.includes(offer) ? ended.filter((o) => o !== offer) : [...ended, offer];
    kept.changed();
    res.redirect(303, '/');
  });
  app.get('/statement.csv', (_req, res) => {
    res.attachment('larkspur-statement.csv').type('text/csv').send(statementCsv(kept.value.leads));
  });
  app.post('/leads/:id', async (req, res) => {
    const lead = kept.value.leads.find((l) => l.id === req.params.id);
    if (!lead) return void res.status(404).end();
    const to = ((req.body ?? {}) as Record<string, string>).to;
    if (to !== 'again') {
      lead.state = leadStates.find((s) => s === to) ?? lead.state;
      lead.toCome = [];
    }
    await network.fire(lead);
    res.redirect(303, '/');
  });
}

function shopRoutes(app: Express, network: Affiliate): void {
  app.get('/o/:offer', (req, res) => {
    const offer = offers[req.params.offer];
    if (!offer || network.kept.value.ended?.includes(req.params.offer))
      return void res.status(404).send(page('Gone', '#444', html`<h1>This offer has ended</h1>`));
    const query = req.originalUrl.split('?')[1] ?? '';
    const words = html`<h1>${offer.title}</h1>
      <p>A box by post, everything in it. Today ${offer.amount} less.</p>
      <form id="order" method="post" action="/o/${req.params.offer}/order?${query}">
        <label>Your name <input name="name" required /></label>
        <p><button>Order now</button></p>
      </form>`;
    res.send(page(offer.title, SHOP_ACCENT, words));
  });
  app.post('/o/:offer/order', (req, res) => {
    if (!offers[req.params.offer]) return void res.status(404).end();
    const lead = network.take(req.params.offer, String(req.query.aff_ref ?? ''), String(req.query.pub ?? ''));
    // The shop thanks at once; its network's server calls when it gets to it.
    void network.fire(lead);
    res.redirect(303, `/o/${req.params.offer}/thanks?lead=${lead.id}`);
  });
  app.get('/o/:offer/thanks', (req, res) => {
    const lead = network.kept.value.leads.find((l) => l.id === req.query.lead);
    // A buyer pastes the tag as it is; the shop fills its network's macros in.
    const pixel = lead ? postbackFor(network.kept.value.pixel ?? '', lead, Date.now()) : '';
    const words = html`<h1>Thank you</h1>
      <p>Your order <strong id="lead">${String(req.query.lead ?? '')}</strong> is on its way.</p>
      ${new Html(pixel)}`;
    res.send(page('Thank you', SHOP_ACCENT, words));
  });
}

const base = (req: Request): string => `${req.protocol}://${req.get('host') ?? ''}`;
const time = (ms: number): string => new Date(ms).toISOString().slice(0, 19).replace('T', ' ');

function overview(state: State, origin: string): Html {
  const option = (value: string, text: string): Html =>
    html`<option value="${value}" ${new Html(state.manner === value ? 'selected' : '')}>${text}</option>`;
  return html`<h1>Larkspur CPA</h1>
    <p>
      Pays for orders. The sub-ID parameter of its links is <code>aff_ref</code>. Macros:
      <code>#ref# #pub# #oid# #amt# #cur# #txn# #ev# #st# #ts# #now#</code>. Status names:
      <code>wait, ok, no, back</code>; its event is <code>order</code>.
    </p>
    <h2>Offers</h2>
    <table id="offers">
      <tr>
        <th>Offer</th>
        <th>Pays</th>
        <th>Your link</th>
        <th></th>
      </tr>
      ${Object.entries(offers).map(
        ([id, o]) =>
          html`<tr>
            <td>${o.title}</td>
            <td>${o.amount} EUR</td>
            <td><code>${origin}/o/${id}?pub=902</code></td>
            <td>
              <form method="post" action="/offers/${id}" class="inline">
                <button>${state.ended?.includes(id) ? 'Start again' : 'End this offer'}</button>
              </form>
            </td>
          </tr>`,
      )}
    </table>
    <h2>Your postback</h2>
    <form method="post" action="/settings">
      <label>Postback URL <textarea name="postback" rows="2">${state.postback}</textarea></label>
      <label
        >Pixel for the shops’ thank-you pages <textarea name="pixel" rows="2">${state.pixel ?? ''}</textarea>
      </label>
      <details>
        <summary>One URL per status instead</summary>
        ${leadStates.map((s) => html`<label>${s} <input class="wide" name="postback ${s}" value="${state.byState?.[s] ?? ''}" /></label>`)}
      </details>
      <p class="row">
        <label
          >How this server behaves
          <select name="manner">
            ${[option('well', 'normally'), option('slow', 'slow: sends postbacks after 3 s'), option('twice', 'sends everything twice'), option('lists', 'sends several leads at once, as a JSON list'), option('fails', 'fails: sends no postbacks')]}
          </select></label
        ><button>Save</button>
      </p>
    </form>
    <h2>Leads</h2>
    <p><a href="/statement.csv">Download statement</a> of all decided leads</p>
    <table id="leads">
      <tr>
        <th>Lead</th>
        <th>Time (UTC)</th>
        <th>Sub-ID</th>
        <th>Amount</th>
        <th>State</th>
        <th>Change to</th>
        <th>Last postback</th>
      </tr>
      ${state.leads.slice(0, 60).map(
        (l) =>
          html`<tr data-lead="${l.id}">
            <td>${l.id}</td>
            <td>${time(l.at)}</td>
            <td><code>${l.ref || '(none)'}</code></td>
            <td>${l.amount}</td>
            <td>${l.state}</td>
            <td>
              <form method="post" action="/leads/${l.id}" class="inline">
                ${(['approved', 'rejected', 'reversed'] as const).map((s) => html`<button name="to" value="${s}">${s}</button> `)}<button
                  name="to"
                  value="again"
                >
                  call again
                </button>
              </form>
            </td>
            <td>
              <code
                >${l.calls[0]?.result ?? (templateFor(state, l.state) ? 'not yet' : 'no postback URL set')}</code
              >
            </td>
          </tr>`,
      )}
    </table>`;
}
