/** Reports for the screens: campaigns over a period, one campaign by day, what came in today. */
import type { Pool } from 'pg';
import type { CampaignReport, CampaignsReport, DayFigures } from '@tracheon/core/contract';
import { addFigures, addSums, figures, noVisits, type Sums } from '@tracheon/core/metrics';
import { daysIn, localDay, periodDays, shiftDay, type DayRange } from '@tracheon/core/time';
import { campaignDays, loadApproval, type CampaignDay, type Scope } from './sums.ts';

export interface ReportDesk {
  id: string;
  zone: string;
  currency: string;
}
const noSums: Sums = { visits: noVisits, conversions: [], unconverted: [] };
const scopeOf = (desk: ReportDesk, days: { from: string; to: string }, campaignId?: string): Scope => ({
  deskId: desk.id,
  zone: desk.zone,
  currency: desk.currency,
  ...days,
  ...(campaignId === undefined ? {} : { campaignId }),
});

/** The last seven days, unless the question names others; a half-open one is a single day. */
export function askedDays({ from, to }: Partial<DayRange>, nowMs: number, zone: string): DayRange {
  if (from === undefined && to === undefined) return periodDays('7d', localDay(nowMs, zone));
  return { from: from ?? to!, to: to ?? from! };
}

/** `trend`: so many days up to the last one are given one by one. */
export async function campaignsReport(
  pool: Pool,
  desk: ReportDesk,
  asked: Partial<DayRange> & { trend: number },
  nowMs: number,
): Promise<CampaignsReport> {
  const days = askedDays(asked, nowMs, desk.zone);
  const trendDays = Array.from({ length: asked.trend }, (_, i) => shiftDay(days.to, i + 1 - asked.trend));
  const from = trendDays[0] !== undefined && trendDays[0] < days.from ? trendDays[0] : days.from;
  const [loaded, approval] = await Promise.all([
    campaignDays(pool, scopeOf(desk, { from, to: days.to })),
    loadApproval(pool, desk.id),
  ]);
  const byCampaign = new Map<string, CampaignDay[]>();
  for (const r of loaded) byCampaign.set(r.campaignId, [...(byCampaign.get(r.campaignId) ?? []), r]);
  const rows = [...byCampaign].map(([campaignId, all]) => ({
    campaignId,
    figures: figures(
      addSums([noSums, ...all.filter((d) => d.day >= days.from).map((d) => d.sums)]),
      approval,
    ),
    trend: trendDays.map((day) => {
      const sums = all.filter((d) => d.day === day).map((d) => d.sums);
      return figures(addSums([noSums, ...sums]), approval).profitMicros;
    }),
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
  pool: Pool,
  desk: ReportDesk,
  campaignId: string,
  asked: Partial<DayRange>,
  nowMs: number,
): Promise<CampaignReport> {
  const range = askedDays(asked, nowMs, desk.zone);
  const chartFrom = daysIn(range) < LEAST_CHART_DAYS ? shiftDay(range.to, 1 - LEAST_CHART_DAYS) : range.from;
  const [rows, approval, impressions] = await Promise.all([
    campaignDays(pool, scopeOf(desk, { from: chartFrom, to: range.to }, campaignId)),
    loadApproval(pool, desk.id),
    impressionsOf(pool, desk, campaignId, range),
  ]);
  const byDay = new Map(rows.map((r) => [r.day, r.sums]));
  const days: DayFigures[] = [];
  for (let day = chartFrom; day <= range.to; day = shiftDay(day, 1))
    days.push({ day, figures: figures(byDay.get(day) ?? noSums, approval) });
  const inPeriod = rows.filter((r) => r.day >= range.from).map((r) => r.sums);
  return { ...range, days, total: figures(addSums([noSums, ...inPeriod]), approval), impressions };
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
