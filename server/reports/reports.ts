/** Reports for the screens: campaigns over a period, one campaign by day, what came in today. */
import type { Pool } from 'pg';
import type { CampaignReport, CampaignsReport, DayFigures, PeriodName } from '@tracheon/core/contract';
import { addSums, figures, noVisits, type Sums } from '@tracheon/core/metrics';
import { localDay } from './localDay.ts';
import { campaignDays, loadApproval, type Scope } from './sums.ts';

export interface ReportDesk {
  id: string;
  zone: string;
  currency: string;
}
const DAYS: Record<PeriodName, number> = { today: 1, '7d': 7, '30d': 30 };

export const shiftDay = (day: string, by: number): string =>
  new Date(Date.parse(day) + by * 86_400_000).toISOString().slice(0, 10);

/** Local days of a period; `back` whole periods earlier. */
export function periodDays(
  period: PeriodName,
  back: number,
  nowMs: number,
  zone: string,
): { from: string; to: string } {
  const to = shiftDay(localDay(nowMs, zone), -back * DAYS[period]);
  return { from: shiftDay(to, 1 - DAYS[period]), to };
}

const noSums: Sums = { visits: noVisits, conversions: [], unconverted: [] };
const scopeOf = (desk: ReportDesk, days: { from: string; to: string }, campaignId?: string): Scope => ({
  deskId: desk.id,
  zone: desk.zone,
  currency: desk.currency,
  ...days,
  ...(campaignId === undefined ? {} : { campaignId }),
});

export async function campaignsReport(
  pool: Pool,
  desk: ReportDesk,
  period: PeriodName,
  back: number,
  nowMs: number,
): Promise<CampaignsReport> {
  const days = periodDays(period, back, nowMs, desk.zone);
  const [rows, approval] = await Promise.all([
    campaignDays(pool, scopeOf(desk, days)),
    loadApproval(pool, desk.id),
  ]);
  const byCampaign = new Map<string, Sums[]>();
  for (const r of rows) byCampaign.set(r.campaignId, [...(byCampaign.get(r.campaignId) ?? []), r.sums]);
  return {
    period,
    ...days,
    zone: desk.zone,
    currency: desk.currency,
    rows: [...byCampaign].map(([campaignId, all]) => ({
      campaignId,
      figures: figures(addSums(all), approval),
    })),
    total: figures(addSums([noSums, ...rows.map((r) => r.sums)]), approval),
  };
}

export async function campaignByDay(
  pool: Pool,
  desk: ReportDesk,
  campaignId: string,
  period: PeriodName,
  back: number,
  nowMs: number,
): Promise<CampaignReport> {
  const range = periodDays(period, back, nowMs, desk.zone);
  // A single day says little by itself: its chart shows the week that leads to it.
  const chartFrom = period === 'today' ? shiftDay(range.to, -6) : range.from;
  const [rows, approval, impressions] = await Promise.all([
    campaignDays(pool, scopeOf(desk, { from: chartFrom, to: range.to }, campaignId)),
    loadApproval(pool, desk.id),
    impressionsOf(pool, desk, campaignId, range),
  ]);
  const days: DayFigures[] = [];
  for (let day = chartFrom; day <= range.to; day = shiftDay(day, 1)) {
    const sums = rows.filter((r) => r.day === day).map((r) => r.sums);
    days.push({ day, figures: figures(addSums([noSums, ...sums]), approval) });
  }
  const inPeriod = rows.filter((r) => r.day >= range.from).map((r) => r.sums);
  return { period, ...range, days, total: figures(addSums([noSums, ...inPeriod]), approval), impressions };
}

async function impressionsOf(
  pool: Pool,
  desk: ReportDesk,
  campaignId: string,
  { from, to }: { from: string; to: string },
): Promise<number> {
  const { rows } = await pool.query<{ n: string }>(
    `SELECT coalesce(sum(times), 0) AS n FROM impressions WHERE desk_id = $1 AND campaign_id = $2 AND sub = ''
       AND quarter >= ($3::date::timestamp AT TIME ZONE $5) AND quarter < (($4::date + 1)::timestamp AT TIME ZONE $5)`,
    [desk.id, campaignId, from, to, desk.zone],
  );
  return Number(rows[0]!.n);
}
