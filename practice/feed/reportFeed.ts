/**
 * A search-feed partner whose reports are ordered: it works on one for a while, and then has it as CSV with a decimal comma.
 * User and password; each row says whether it is final.
 */
import { Router, type Request } from 'express';
import { FEED_TEMPLATE, feedTemplate } from '@tracheon/core/contract';
import { html } from '../page/html.ts';
import { feedPages } from './feedPages.ts';
import { units, type Searches } from './searches.ts';

export const REPORT_USER = 'desk';
export const REPORT_PASSWORD = 'practice-report-password';
const BASE = '/report';
/** Looks at an order until it is done. */
const LOOKS = 2;

export function reportFeed(searches: Searches): Router {
  const router = Router();
  const orders = new Map<string, { day: string; looks: number }>();
  const knows = (req: Request): boolean =>
    req.get('Authorization') ===
    `Basic ${Buffer.from(`${REPORT_USER}:${REPORT_PASSWORD}`).toString('base64')}`;
  feedPages(router, {
    title: 'Practice report feed',
    base: BASE,
    searches,
    how: (origin) =>
      html`<p>
        User <code>${REPORT_USER}</code>, password <code>${REPORT_PASSWORD}</code>. Order a report with POST
        <code>${origin}/orders?day={day}</code>; its ID is in <code>order.id</code>. Its state is at
        <code>${origin}/orders/{report}</code> in <code>order.state</code>: <code>done</code> when it is
        ready. The CSV is at <code>${origin}/orders/{report}/file.csv</code>.
      </p>`,
  });
  router.use('/orders', (req, res, next) => {
    if (knows(req)) next();
    else res.status(401).json({ error: 'unknown user or password' });
  });
  router.post('/orders', (req, res) => {
    const id = `o-${orders.size + 1}`;
    orders.set(id, { day: String(req.query.day), looks: 0 });
    res.status(202).json({ order: { id } });
  });
  router.get('/orders/:id', (req, res) => {
    const order = orders.get(req.params.id);
    if (!order) return void res.status(404).json({ error: 'no such order' });
    order.looks += 1;
    res.json({ order: { state: order.looks > LOOKS ? 'done' : 'working' } });
  });
  router.get('/orders/:id/file.csv', (req, res) => {
    const order = orders.get(req.params.id);
    if (!order || order.looks <= LOOKS) return void res.status(404).json({ error: 'not ready' });
    res.type('text/csv').send(csvOf(searches, order.day));
  });
  router.get('/template.json', (req, res) => {
    const origin = `http://${req.get('host')}${BASE}`;
    res.json(
      feedTemplate.parse({
        kind: FEED_TEMPLATE,
        version: 1,
        name: 'Practice report feed',
        url: `${origin}/orders?day={day}`,
        signIn: 'basic',
        format: 'csv',
        report: 'prepared',
        reportMethod: 'post',
        reportAt: 'order.id',
        statusUrl: `${origin}/orders/{report}`,
        readyAt: 'order.state',
        readyWord: 'done',
        fileUrl: `${origin}/orders/{report}/file.csv`,
        slotAt: 'Sub 2',
        counters: [{ amountAt: 'Net', event: 'search' }],
        currency: 'EUR',
        decimalMark: ',',
        finals: 'field',
        finalAt: 'State',
        finalWord: 'confirmed',
      }),
    );
  });
  return router;
}

const cell = (text: string): string => `"${text.replaceAll('"', '""')}"`;
function csvOf(searches: Searches, day: string): string {
  const state = searches.isFinal(day) ? 'confirmed' : 'open';
  const lines = searches
    .ofDay(day)
    .map((s) =>
      [s.subs.sub2 ?? '', s.query, units(searches.revenue(s)).replace('.', ','), state].map(cell).join(','),
    );
  return ['Sub 2,Keyword,Net,State', ...lines].join('\r\n');
}
