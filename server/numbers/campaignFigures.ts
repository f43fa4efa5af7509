/** Figures of campaigns, as the list, a campaign's page and Today show them: questions to the index like any other. */
import type { Pool } from 'pg';
import type { z } from 'zod';
import {
  MAX_EXPORT_ROWS,
  numbersAsked,
  type CampaignReport,
  type CampaignsReport,
  type Figures,
  type NumbersAnswer,
} from '@tracheon/core/contract';
import { addFigures, figures } from '@tracheon/core/metrics';
import { daysIn, shiftDay, type DayRange } from '@tracheon/core/time';
import type { ReportDesk } from '../reports/period.ts';
import { noSums } from './gathered.ts';

type Question = Omit<Partial<NumbersAskedInput>, 'offset' | 'limit'> & DayRange & { by: string[] };
type NumbersAskedInput = z.input<typeof numbersAsked>;
/** Asks the index about the desk. */
export type AskIndex = (asked: ReturnType<typeof numbersAsked.parse>) => Promise<NumbersAnswer>;

const noFigures = figures(noSums(), () => ({ basis: '', approved: 0, decided: 0 }));

/** All rows, answer by answer. */
async function allRows(ask: AskIndex, question: Question): Promise<NumbersAnswer['rows']> {
  const rows: NumbersAnswer['rows'] = [];
  for (;;) {
    const asked = numbersAsked.parse({
      ...question,
      sort: '',
      isDescending: false,
      offset: rows.length,
      limit: MAX_EXPORT_ROWS,
    });
    const answer = await ask(asked);
    rows.push(...answer.rows);
    if (answer.rows.length === 0 || rows.length >= answer.count) return rows;
  }
}

/** `trend`: so many days up to the last one are given one by one. */
export async function campaignsReport(
  ask: AskIndex,
  desk: ReportDesk,
  days: DayRange,
  { trend, verdicts }: { trend: number; verdicts: boolean },
): Promise<CampaignsReport> {
  const trendDays = Array.from({ length: trend }, (_, i) => shiftDay(days.to, i + 1 - trend));
  const found = await allRows(ask, { ...days, by: ['campaign_id'], verdicts });
  const byDay = new Map<string, Figures>();
  if (trendDays.length > 0) {
    const period = { from: trendDays[0]!, to: days.to };
    for (const { values, figures: of } of await allRows(ask, { ...period, by: ['campaign_id', 'day'] }))
      byDay.set(values.join('|'), of);
  }
  const named = new Map(found.map((r) => [r.values[0]!, r]));
  const ids = new Set([...named.keys(), ...[...byDay.keys()].map((key) => key.split('|')[0]!)]);
  const rows = [...ids].map((campaignId) => ({
    campaignId,
    figures: named.get(campaignId)?.figures ?? noFigures,
    verdict: named.get(campaignId)?.verdict ?? null,
    trend: trendDays.map((day) => (byDay.get(`${campaignId}|${day}`) ?? noFigures).profitMicros),
  }));
  return {
    ...days,
    zone: desk.zone,
    currency: desk.currency,
    rows,
    total: addFigures(rows.map((r) => r.figures)),
  };
}

/** A short period says little by itself: its chart shows the week that leads to it. */
const LEAST_CHART_DAYS = 7;

export async function campaignByDay(
  ask: AskIndex,
  pool: Pool,
  desk: ReportDesk,
  campaignId: string,
  range: DayRange,
): Promise<CampaignReport> {
  const chartFrom = daysIn(range) < LEAST_CHART_DAYS ? shiftDay(range.to, 1 - LEAST_CHART_DAYS) : range.from;
  const only = [{ by: 'campaign_id', is: 'is' as const, values: [campaignId] }];
  const impressions = impressionsOf(pool, desk, campaignId, range);
  const byDay = new Map(
    (await allRows(ask, { from: chartFrom, to: range.to, by: ['day'], only })).map((r) => [
      r.values[0]!,
      r.figures,
    ]),
  );
  const { total } = await ask(numbersAsked.parse({ ...range, by: ['campaign_id'], only }));
  const days: CampaignReport['days'] = [];
  for (let day = chartFrom; day <= range.to; day = shiftDay(day, 1))
    days.push({ day, figures: byDay.get(day) ?? noFigures });
  return { ...range, days, total, impressions: await impressions };
}

async function impressionsOf(
  pool: Pool,
  desk: ReportDesk,
  campaignId: string,
  { from, to }: DayRange,
): Promise<number> {
  const { rows } = await pool.query<{ n: string }>(
    `SELECT coalesce(sum(times), 0) AS n FROM impressions WHERE desk_id = $1 AND campaign_id = $2 AND sub = ''
       AND quarter >= ($3::date::timestamp AT TIME ZONE $5) AND quarter < (($4::date + 1)::timestamp AT TIME ZONE $5)`,
    [desk.id, campaignId, from, to, desk.zone],
  );
  return Number(rows[0]!.n);
}
