/**
 * A search-feed partner with user and secret: they are exchanged for a token that is good for some requests only. Numbered
 * pages, two amounts in each row, several accounts, and no word about finals: a day is final once it is over.
 */
import { Router, type Request } from 'express';
import { FEED_TEMPLATE, feedTemplate } from '@tracheon/core/contract';
import { html } from '../page/html.ts';
import { feedPages } from './feedPages.ts';
import { units, type Search, type Searches } from './searches.ts';

export const TOKEN_ACCOUNTS: Record<string, string> = {
  mira: 'practice-token-secret',
  jonas: 'practice-second-secret',
};
export const REQUESTS_OF_A_TOKEN = 3;
const PER_PAGE = 50;
const BASE = '/token';

export function tokenFeed(searches: Searches): Router {
  const router = Router();
  const tokens = new Map<string, { account: string; left: number }>();
  /** Whose account it is; null: it has to sign in again. */
  const accountOf = (req: Request): string | null => {
    const token = tokens.get(req.get('Authorization')?.replace(/^Bearer /, '') ?? '');
    if (!token || token.left === 0) return null;
    token.left -= 1;
    return token.account;
  };
  feedPages(router, {
    title: 'Practice token feed',
    base: BASE,
    searches,
    how: (origin) =>
      html`<p>
          Token: <code>${origin}/token</code>, with user <code>mira</code> and secret
          <code>${TOKEN_ACCOUNTS.mira!}</code>; it is in <code>access.token</code> and goes into the header
          <code>Authorization</code> after <code>Bearer </code>. Searches of <code>account=jonas</code> in the
          link are of the second account, with secret <code>${TOKEN_ACCOUNTS.jonas!}</code>.
        </p>
        <p>
          Report: <code>${origin}/v2/revenue?date={day}</code>, pages in <code>p</code>, from 1. Rows are in
          <code>data.list</code>, amounts in <code>money.search</code> and <code>money.click</code>. A day is
          final once it is over.
        </p>`,
  });
  router.get('/token', (req, res) => {
    const basic = Buffer.from(req.get('Authorization')?.replace(/^Basic /, '') ?? '', 'base64').toString();
    const [user = '', secret] = basic.split(':');
    if (!Object.hasOwn(TOKEN_ACCOUNTS, user) || TOKEN_ACCOUNTS[user] !== secret)
      return void res.status(401).json({ error: 'unknown user or secret' });
    const token = `practice-${user}-${tokens.size + 1}`;
    tokens.set(token, { account: user, left: REQUESTS_OF_A_TOKEN });
    res.json({ access: { token } });
  });
  router.get('/v2/revenue', (req, res) => {
    const account = accountOf(req);
    if (account === null) return void res.status(401).json({ error: 'the token is no longer good' });
    const all = searches.ofDay(String(req.query.date)).filter((s) => (s.subs.account ?? 'mira') === account);
    const n = Math.max(1, Number(req.query.p) || 1);
    res.json({
      data: {
        count: all.length,
        list: all.slice((n - 1) * PER_PAGE, n * PER_PAGE).map((s) => rowOf(searches, s)),
      },
    });
  });
  router.get('/template.json', (req, res) => {
    const origin = `http://${req.get('host')}${BASE}`;
    res.json(
      feedTemplate.parse({
        kind: FEED_TEMPLATE,
        version: 1,
        name: 'Practice token feed',
        url: `${origin}/v2/revenue?date={day}`,
        signIn: 'token',
        signInName: 'Authorization',
        signInPrefix: 'Bearer ',
        tokenUrl: `${origin}/token`,
        tokenAt: 'access.token',
        rowsAt: 'data.list',
        paging: 'page',
        pageParameter: 'p',
        countAt: 'data.count',
        slotAt: 'link.sub2',
        counters: [
          { amountAt: 'money.search', event: 'search' },
          { amountAt: 'money.click', event: 'search_click' },
        ],
        currency: 'EUR',
        finals: 'age',
        finalAfterDays: 0,
      }),
    );
  });
  return router;
}

const rowOf = (searches: Searches, search: Search) => ({
  link: search.subs,
  keyword: search.query,
  money: { search: units(searches.revenue(search)), click: units(searches.revenue(search, 'click')) },
});
