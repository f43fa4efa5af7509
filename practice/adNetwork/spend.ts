/** What the practice ad network bills: by day, campaign and site, told by an API with a key in a parameter. */
import type { Express } from 'express';
import { FEED_TEMPLATE, feedTemplate } from '@tracheon/core/contract';
import type { SentVisit } from './sendVisit.ts';

export const SPEND_KEY = 'practice-spend-key';
/** Days that are remembered. */
const KEPT_DAYS = 40;
/** Bots and double visits are billed less than was bid. */
const BILLED_SHARE = 0.94;
const MICROS = 1_000_000;

/** By day, then by campaign and site, in micro-units. */
export type Spend = Record<string, Record<string, number>>;
const BETWEEN = ' · ';

/** A visit that did not arrive costs nothing. */
export function bill(spend: Spend, campaign: string, site: string, sent: SentVisit, price: number): void {
  if (sent.location === '') return;
  const day = new Date(sent.at).toISOString().slice(0, 10);
  const ofDay = (spend[day] ??= {});
  const key = campaign + BETWEEN + site;
  ofDay[key] = (ofDay[key] ?? 0) + Math.round(price * BILLED_SHARE * MICROS);
  for (const old of Object.keys(spend).sort().slice(0, -KEPT_DAYS)) delete spend[old];
}

const units = (micros: number): string => (micros / MICROS).toFixed(4);
const sumOf = (day: Record<string, number>): number => Object.values(day).reduce((sum, one) => sum + one, 0);

export function spendRoutes(app: Express, spendOf: () => Spend): void {
  app.get('/api/spend', (req, res) => {
    if (req.query.key !== SPEND_KEY) return void res.status(403).json({ error: 'unknown key' });
    const day = spendOf()[String(req.query.date)] ?? {};
    // Each row is rounded, and the total is that of the rounded rows.
    const rows = Object.entries(day).map(([key, micros]) => {
      const [campaign, site] = key.split(BETWEEN);
      return { ad_campaign: campaign, placement: { site }, spend: units(micros), currency: 'EUR' };
    });
    const total = rows.reduce((sum, r) => sum + Math.round(Number(r.spend) * MICROS), 0);
    res.json({ date: req.query.date, total: units(total), rows });
  });
  app.get('/api/spend/template.json', (req, res) => {
    res.json(
      feedTemplate.parse({
        kind: FEED_TEMPLATE,
        version: 1,
        name: 'Practice ad network, spend',
        gives: 'cost',
        url: `http://${req.get('host')}/api/spend?date={day}`,
        signIn: 'parameter',
        signInName: 'key',
        rowsAt: 'rows',
        sumAt: 'total',
        amountAt: 'spend',
        subs: [{ name: 'site', at: 'placement.site' }],
        currency: 'EUR',
        currencyAt: 'currency',
        finals: 'age',
        finalAfterDays: 0,
      }),
    );
  });
}

/** For the overview: what today costs so far. */
export const spentToday = (spend: Spend, nowMs: number): string =>
  units(sumOf(spend[new Date(nowMs).toISOString().slice(0, 10)] ?? {}));
