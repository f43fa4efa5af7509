/** Reports for the screens: campaigns over a period, one campaign by day, what came in today, what needs attention. */
import type { Pool } from 'pg';
import type {
  Attention,
  CampaignReport,
  CampaignsReport,
  DayFigures,
  PeriodName,
} from '@tracheon/core/contract';
import { addSums, figures, noVisits, type Sums } from '@tracheon/core/metrics';
import { campaignDays, loadApproval, type Scope } from './sums.ts';

export interface ReportDesk {
  id: string;
  zone: string;
  currency: string;
}
const DAYS: Record<PeriodName, number> = { today: 1, '7d': 7, '30d': 30 };
/** Furthest step back with Shift+←; beyond it a report by dates is the tool. */
export const MAX_STEPS_BACK = 60;

export const localDay = (ms: number, zone: string): string =>
  new Intl.DateTimeFormat('sv-SE', { timeZone: zone }).format(ms);
const shiftDay = (day: string, by: number): string =>
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
  const [rows, approval] = await Promise.all([
    campaignDays(pool, scopeOf(desk, { from: chartFrom, to: range.to }, campaignId)),
    loadApproval(pool, desk.id),
  ]);
  const days: DayFigures[] = [];
  for (let day = chartFrom; day <= range.to; day = shiftDay(day, 1)) {
    const sums = rows.filter((r) => r.day === day).map((r) => r.sums);
    days.push({ day, figures: figures(addSums([noSums, ...sums]), approval) });
  }
  const inPeriod = rows.filter((r) => r.day >= range.from).map((r) => r.sums);
  return { period, ...range, days, total: figures(addSums([noSums, ...inPeriod]), approval) };
}

/** Visits without a conversion are worth a look from this many on. */
const MANY_VISITS = 100;

export async function attention(
  pool: Pool,
  desk: ReportDesk,
  unrecorded: number,
  broken: number,
  nowMs: number,
): Promise<Attention[]> {
  const week = shiftDay(localDay(nowMs, desk.zone), -6);
  const { rows } = await pool.query<{ repair: string; parked: string; aside: string }>(
    `SELECT (SELECT count(*) FROM outcomes WHERE desk_id = $1 AND outcome = 'repair') AS repair,
            (SELECT count(*) FROM outbox WHERE desk_id = $1 AND state = 'parked') AS parked,
            (SELECT count(*) FROM quarantine WHERE desk_id = $1) AS aside`,
    [desk.id],
  );
  const { rows: barren } = await pool.query<{ id: string; name: string; n: string }>(
    `SELECT p.id, p.name, count(*) AS n FROM visits v JOIN parts p ON p.id = v.campaign_id
     WHERE v.desk_id = $1 AND v.day >= $2::date - 1 AND v.at >= ($2::date::timestamp AT TIME ZONE $3)
       AND NOT v.is_bot AND NOT v.is_repeat AND NOT v.is_test AND p.state = 'live'
       AND NOT EXISTS (SELECT 1 FROM conversions c WHERE c.desk_id = $1 AND c.campaign_id = v.campaign_id AND NOT c.is_test
                       AND c.visit_at >= ($2::date::timestamp AT TIME ZONE $3))
     GROUP BY p.id, p.name HAVING count(*) >= $4 ORDER BY n DESC`,
    [desk.id, week, desk.zone, MANY_VISITS],
  );
  const differing = await offersPaidDifferently(pool, desk.id);
  const list: Attention[] = [];
  const add = (code: Attention['code'], count: number, sentence: string, to: string): void => {
    if (count > 0) list.push({ code, count, sentence, to });
  };
  const s = (n: number, one: string, many: string): string => (n === 1 ? one : many);
  const repair = Number(rows[0]!.repair);
  const parked = Number(rows[0]!.parked);
  const aside = Number(rows[0]!.aside);
  add(
    'unrecorded_visits',
    unrecorded,
    `${unrecorded} ${s(unrecorded, 'visit was', 'visits were')} sent on but could not be recorded since the last start.`,
    '/today',
  );
  add(
    'quarantined_rows',
    aside,
    `${aside} ${s(aside, 'row', 'rows')} could not be stored as they came and ${s(aside, 'is', 'are')} kept aside: see the table quarantine.`,
    '/today',
  );
  add(
    'broken_campaign',
    broken,
    `${broken} ${s(broken, 'campaign does', 'campaigns do')} not compile and ${s(broken, 'runs', 'run')} on the last good version.`,
    '/campaigns',
  );
  add(
    'calls_for_repair',
    repair,
    `${repair} ${s(repair, 'call in is', 'calls in are')} kept for repair.`,
    '/conversions/calls-in?outcome=repair',
  );
  add(
    'parked_calls_out',
    parked,
    `${parked} ${s(parked, 'call out is', 'calls out are')} parked: the source was not told.`,
    '/conversions/calls-out?state=parked',
  );
  for (const d of differing)
    add(
      'payout_differs',
      DIFFERENCES_IN_A_ROW,
      `${d.name}: the last ${DIFFERENCES_IN_A_ROW} calls reported another payout than the fixed one of the offer.`,
      `/parts/offer?open=${d.id}`,
    );
  for (const b of barren)
    add(
      'visits_no_conversion',
      Number(b.n),
      `${b.name}: ${b.n} visits in the last 7 days and no conversion.`,
      `/campaigns/${b.id}`,
    );
  return list;
}

/** So often in a row is no slip any more: the network pays something else. */
const DIFFERENCES_IN_A_ROW = 3;

async function offersPaidDifferently(pool: Pool, deskId: string): Promise<{ id: string; name: string }[]> {
  const { rows } = await pool.query<{ id: string; name: string }>(
    `SELECT p.id, p.name FROM parts p JOIN LATERAL (
       SELECT count(*) FILTER (WHERE last.flags ? 'payout_differs') AS differing FROM (
         SELECT c.flags FROM conversions c WHERE c.desk_id = p.desk_id AND c.offer_id = p.id AND NOT c.is_test
         ORDER BY c.id DESC LIMIT ${DIFFERENCES_IN_A_ROW}) last) d ON d.differing = ${DIFFERENCES_IN_A_ROW}
     WHERE p.desk_id = $1 AND p.kind = 'offer' AND p.state = 'live' AND p.body->>'payoutMode' = 'fixed' ORDER BY p.name`,
    [deskId],
  );
  return rows;
}
