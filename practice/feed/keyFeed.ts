/** A search-feed partner with a key in a header: JSON, each page names the next one, the answer says whether it is final. */
import { Router } from 'express';
import { FEED_TEMPLATE, feedTemplate } from '@tracheon/core/contract';
import { html } from '../page/html.ts';
import { feedPages } from './feedPages.ts';
import { units, type Searches } from './searches.ts';

/** As such a partner hands it over with the account. */
export const FEED_KEY = 'practice-copperleaf-key';
const PER_PAGE = 100;

export interface FeedReport {
  day: string;
  status: 'estimated' | 'final';
  total: { rows: number; revenue: string };
  rows: Record<string, string | number>[];
  next: string | null;
}

export function keyFeed(searches: Searches): Router {
  const router = Router();
  feedPages(router, {
    title: 'Practice search feed',
    base: '',
    searches,
    how: (origin) =>
      html`<p>
        Report: <code>${origin}/api/report?day={day}</code>, with the header
        <code>X-Api-Key: ${FEED_KEY}</code>. Rows are in <code>rows</code>, the next page in
        <code>next</code>, the state in <code>status</code>.
      </p>`,
  });
  router.get('/api/report', (req, res) => {
    if (req.get('X-Api-Key') !== FEED_KEY) return void res.status(403).json({ error: 'unknown key' });
    res.json(reportOf(searches, String(req.query.day), Math.max(1, Number(req.query.page) || 1)));
  });
  router.get('/template.json', (req, res) => {
    res.json(
      feedTemplate.parse({
        kind: FEED_TEMPLATE,
        version: 1,
        name: 'Practice search feed',
        url: `http://${req.get('host')}/api/report?day={day}`,
        signIn: 'header',
        signInName: 'X-Api-Key',
        rowsAt: 'rows',
        paging: 'next',
        nextAt: 'next',
        countAt: 'total.rows',
        sumAt: 'total.revenue',
        slotAt: 'sub2',
        counters: [{ amountAt: 'revenue', event: 'search' }],
        currency: 'EUR',
        finals: 'field',
        finalAt: 'status',
        finalWord: 'final',
      }),
    );
  });
  return router;
}

function reportOf(searches: Searches, day: string, n: number): FeedReport {
  const all = searches.ofDay(day);
  return {
    day,
    status: searches.isFinal(day) ? 'final' : 'estimated',
    total: { rows: all.length, revenue: units(all.reduce((sum, s) => sum + searches.revenue(s), 0)) },
    rows: all.slice((n - 1) * PER_PAGE, n * PER_PAGE).map((s) => ({
      ...s.subs,
      keyword: s.query,
      searches: 1,
      revenue: units(searches.revenue(s)),
    })),
    next: all.length > n * PER_PAGE ? `/api/report?day=${day}&page=${n + 1}` : null,
  };
}
