/** An ad network, simulated: campaigns with a pasted tracking link, visits singly or as a stream, a log of what it was told. */
import express, { type Express } from 'express';
import { html, page } from '../page/html.ts';
import { AdNetwork, type AdNetworkOptions } from './adNetwork.ts';
import { hearConversions } from './hearConversions.ts';
import { campaignPage, message, overview } from './networkPages.ts';
import { spendRoutes } from './spend.ts';
import { countries, type Mix } from './visitors.ts';
import type { Flow } from '../habits/traffic.ts';

/** A practice stream tries things out; it is no load test. */
const MAX_PER_SECOND = 50;
/** *Keep it going* of a campaign that was made by hand. */
const STEADY: Flow = { perDay: 620, buys: 0.0088, country: 'BE', price: 0.056 };

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
