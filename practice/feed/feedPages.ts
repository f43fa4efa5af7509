/** What visitors and members see of a practice feed: results of a search, and how to connect to it. */
import type { Router } from 'express';
import { html, page, type Html } from '../page/html.ts';
import { units, type Searches } from './searches.ts';

const ACCENT = '#7a4a1e';

export interface Shown {
  title: string;
  /** Before its paths. */
  base: string;
  searches: Searches;
  /** How to sign in and where its rows are; `{origin}` is this feed's. */
  how: (origin: string) => Html;
}

export function feedPages(router: Router, { title, base, searches, how }: Shown): void {
  router.get('/s', (req, res) => {
    const { id, query } = searches.add(req.query);
    res.send(
      page(
        `Results for ${query}`,
        ACCENT,
        html`<h1>Results for “${query}”</h1>
          ${['Brindle & Oat', 'Fernway Terrariums', 'Kitewright'].map(
            (name) => html`<p><a href="${base}/click?search=${id}">${name}</a></p>`,
          )}`,
      ),
    );
  });
  router.get('/click', (req, res) => {
    searches.click(Number(req.query.search));
    res.send(page('Shop', ACCENT, html`<h1>The shop that paid for this click</h1>`));
  });
  router.post('/close', (_req, res) => {
    searches.close();
    res.redirect(303, `${base}/`);
  });
  router.get('/', (req, res) => {
    const day = searches.today;
    const all = searches.ofDay(day);
    const sum = all.reduce((s, one) => s + searches.revenue(one) + searches.revenue(one, 'click'), 0);
    const origin = `http://${req.get('host')}${base}`;
    res.send(
      page(
        title,
        ACCENT,
        html`<h1>${title}</h1>
          <p>Link for your offer: <code>${origin}/s?q=kites&sub2={click_id}</code>.</p>
          ${how(origin)}
          <p><a href="${base}/template.json" download>Template for your tracker</a></p>
          <h2>Today: ${searches.isFinal(day) ? 'final' : 'estimated'}</h2>
          <p>${all.length} searches, ${units(sum)} EUR.</p>
          <form method="post" action="${base}/close"><button>Close this day: make it final</button></form>`,
      ),
    );
  });
}
