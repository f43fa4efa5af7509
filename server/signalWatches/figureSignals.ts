/** Troubles that figures show: visits and postbacks that stay away, spend that runs away. Asked of the numbers index. */
import type { Pool } from 'pg';
import { MAX_EXPORT_ROWS, numbersAsked, watchInput, type SignalKind } from '@tracheon/core/contract';
import { DELAY_HOURS, delayCurves, type DelayRow } from '@tracheon/core/metrics';
import {
  expectedSince,
  FEWEST_POSTBACKS,
  spendRunsAway,
  sureWords,
  visitsAreMissing,
} from '@tracheon/core/signalWatches';
import { daysIn, localDay, localHourIn } from '@tracheon/core/time';
import { usualValue, watchedValue } from '@tracheon/core/watches';
import { look, lookFor, type AsksNumbers, type Looked, type LookedRow } from '../watches/askWatch.ts';
import { behindWords } from '../watches/doubts.ts';
import type { FoundSignal } from './reconcile.ts';

const HOUR_MS = 3_600_000;
/** Hours in which visits and spend are compared with the days before: the short one tells soon, the long one of small campaigns. */
const WINDOWS = [3, 24];

export interface FigureGround {
  pool: Pool;
  ask: AsksNumbers;
  /** Files that wait in the spool. */
  waiting: () => Promise<number>;
  nowMs: number;
}
export interface DeskAsked {
  id: string;
  zone: string;
  currency: string;
}
export const figureKinds: readonly SignalKind[] = ['no_visits', 'spend_runs', 'no_postbacks'];

/** null: figures are behind, and would tell of troubles that are none. */
export async function figureSignals(ground: FigureGround, desk: DeskAsked): Promise<FoundSignal[] | null> {
  const found = new Map<string, FoundSignal>();
  for (const hours of WINDOWS) {
    const looked = await lookBack(ground, desk, hours);
    if (await isBehind(ground, desk, looked)) return null;
    for (const signal of await ofCampaigns(ground, desk, looked, hours))
      if (!found.has(`${signal.kind} ${signal.subject}`))
        found.set(`${signal.kind} ${signal.subject}`, signal);
  }
  return [...found.values(), ...(await silentOffers(ground, desk))];
}

const isBehind = async ({ pool, waiting }: FigureGround, desk: DeskAsked, { fedMs, toMs }: Looked) =>
  (await behindWords(pool, desk.id, { fedMs, toMs, waiting: await waiting() })) !== '';

function lookBack({ ask, nowMs }: FigureGround, desk: DeskAsked, windowHours: number): Promise<Looked> {
  const asked = watchInput.parse({
    name: 'Signals',
    subject: 'campaign_id',
    conditions: [{ figure: 'visits', is: '=', than: 0, unit: 'usual' }],
    windowHours,
    isGuarded: false,
  });
  return lookFor((question) => look(ask, desk.id, question), asked, nowMs, desk.zone);
}

interface Campaign {
  id: string;
  name: string;
  source_id: string;
  source: string;
  last: Date | null;
}
async function ofCampaigns(
  { pool, nowMs }: FigureGround,
  desk: DeskAsked,
  looked: Looked,
  hours: number,
): Promise<FoundSignal[]> {
  const missing: LookedRow[] = [];
  const running: [LookedRow, number][] = [];
  for (const row of looked.rows) {
    const usual = usualValue('visits', row) ?? 0;
    if (visitsAreMissing({ visits: watchedValue('visits', row) ?? 0, usual }) !== null) missing.push(row);
    const spent = watchedValue('spentMicros', row) ?? 0;
    const before = (row.past ?? []).map((p) => watchedValue('spentMicros', { ...p, verdict: null }) ?? 0);
    const payout = row.verdict?.payoutMicros ? Number(row.verdict.payoutMicros) / 1e6 : null;
    const mean = spendRunsAway({ spent, before, payout });
    if (mean !== null) running.push([row, mean]);
  }
  const ids = [...missing, ...running.map(([row]) => row)].map((r) => r.value);
  const { rows } = await pool.query<Campaign>(
    `SELECT c.id, c.name, s.id AS source_id, s.name AS source,
       (SELECT max(at) FROM visits v WHERE v.desk_id = $1 AND v.campaign_id = c.id AND v.at > $3
         AND v.day >= ($3::timestamptz AT TIME ZONE 'UTC')::date) AS last
     FROM parts c JOIN parts s ON s.id = c.body->>'sourceId'
     WHERE c.desk_id = $1 AND c.id = ANY ($2) AND c.kind = 'campaign' AND c.state = 'live'`,
    [desk.id, ids, new Date(nowMs - 9 * 24 * HOUR_MS)],
  );
  const live = new Map(rows.map((r) => [r.id, r]));
  const base = (c: Campaign) => ({
    subject: c.id,
    name: c.name,
    group: c.source_id,
    groupName: c.source,
    to: `/campaigns/${c.id}`,
  });
  const span = hours === 24 ? '24 hours' : `${hours} hours`;
  return [
    ...missing.flatMap((row): FoundSignal[] => {
      const c = live.get(row.value);
      const usual = usualValue('visits', row) ?? 0;
      return c
        ? [
            {
              ...base(c),
              kind: 'no_visits',
              sinceMs: c.last?.getTime() ?? null,
              sentence: `${c.name}: no visit in the last ${span}; usually ${Math.round(usual)} at these hours.`,
              sure: sureWords(visitsAreMissing({ visits: 0, usual })!),
              advice:
                'Look at the campaign in the source: it may be stopped, out of budget, or its link changed.',
            },
          ]
        : [];
    }),
    ...running.flatMap(([row, mean]): FoundSignal[] => {
      const c = live.get(row.value);
      const spent = watchedValue('spentMicros', row)!;
      return c
        ? [
            {
              ...base(c),
              kind: 'spend_runs',
              sinceMs: nowMs - hours * HOUR_MS,
              sentence: `${c.name}: ${spent.toFixed(2)} ${desk.currency} spent in the last ${span}; usually ${mean.toFixed(2)} at these hours.`,
              sure: '',
              advice: 'Check the bid and the budget in the source.',
            },
          ]
        : [];
    }),
  ];
}

/** Days whose visits may still convert, and the days before them by which the offer's rate is known. */
const DAYS = 7;
const RATE_DAYS = 30;
/** Conversions by which a rate is known. */
const FEWEST_KNOWN = 5;

interface OfferNow {
  id: string;
  name: string;
  network_id: string;
  network: string;
  last: Date | null;
}
async function silentOffers({ pool, ask, nowMs }: FigureGround, desk: DeskAsked): Promise<FoundSignal[]> {
  const offers = await offersByPostbacks(pool, desk.id);
  if (offers.length === 0) return [];
  const today = localDay(nowMs, 'UTC');
  const question = (by: string[], fromMs: number, toMs: number) =>
    numbersAsked.parse({
      from: today,
      to: today,
      between: { fromMs, toMs },
      by,
      sort: 'visits',
      limit: MAX_EXPORT_ROWS,
    });
  const since = nowMs - DAYS * 24 * HOUR_MS;
  const known = await ask(desk.id, question(['offer_id'], since - RATE_DAYS * 24 * HOUR_MS, since));
  const rates = new Map(
    known.rows.map(({ values, figures: f }) => [
      values[0]!,
      f.conversions >= FEWEST_KNOWN && f.sentToOffer > 0 ? f.conversions / f.sentToOffer : 0,
    ]),
  );
  const able = offers.filter((o) => (rates.get(o.id) ?? 0) > 0 && o.last !== null);
  if (able.length === 0) return [];
  const recent = await ask(desk.id, question(['offer_id', 'day', 'hour'], since, nowMs));
  const visits = new Map<string, { hoursAgo: number; count: number }[]>();
  for (const { values, figures } of recent.rows) {
    const [offerId = '', day = '', hour = ''] = values;
    const hoursAgo = hoursSince(nowMs, desk.zone, day, Number(hour));
    visits.set(offerId, [...(visits.get(offerId) ?? []), { hoursAgo, count: figures.sentToOffer }]);
  }
  const curves = delayCurves(await delaysOf(pool, desk.id, nowMs));
  return able.flatMap((offer): FoundSignal[] => {
    const silentHours = (nowMs - offer.last!.getTime()) / HOUR_MS;
    const expected = expectedSince({
      visits: visits.get(offer.id) ?? [],
      rate: rates.get(offer.id)!,
      curve: curves(offer.id, offer.network_id),
      silentHours,
    });
    if (expected < FEWEST_POSTBACKS) return [];
    return [
      {
        kind: 'no_postbacks',
        subject: offer.id,
        name: offer.name,
        group: offer.network_id,
        groupName: offer.network,
        sinceMs: offer.last!.getTime(),
        sentence: `${offer.name}: no postback for ${Math.round(silentHours)} hours, where about ${Math.round(expected)} were to be expected by the offer’s own rate and delay.`,
        sure: sureWords(1 - Math.exp(-expected)),
        advice: `Open the offer’s link, then ask ${offer.network} whether conversions are there, and whether it still calls your postback URL.`,
        to: `/parts/offer?open=${offer.id}`,
      },
    ];
  });
}

/** By the clock of the zone; never less than none. */
function hoursSince(nowMs: number, zone: string, day: string, hour: number): number {
  const days = daysIn({ from: day, to: localDay(nowMs, zone) }) - 1;
  return Math.max(0, days * 24 + localHourIn(zone)(nowMs).hour - hour);
}

async function offersByPostbacks(pool: Pool, deskId: string): Promise<OfferNow[]> {
  const { rows } = await pool.query<OfferNow>(
    `SELECT o.id, o.name, n.id AS network_id, n.name AS network,
       (SELECT max(greatest(created_at, updated_at)) FROM conversions c WHERE c.desk_id = $1 AND c.offer_id = o.id AND NOT c.is_test) AS last
     FROM parts o JOIN parts n ON n.id = o.body->>'networkId'
     WHERE o.desk_id = $1 AND o.kind = 'offer' AND o.state = 'live' AND coalesce(o.body->>'sending', 'live') = 'live'
       AND NOT EXISTS (SELECT 1 FROM jsonb_array_elements(coalesce(o.body->'conversionsFrom', '[]')) AS f WHERE f->>'channel' <> 'postbacks')`,
    [deskId],
  );
  return rows;
}

const DELAY_DAYS = 60;
async function delaysOf(pool: Pool, deskId: string, nowMs: number): Promise<DelayRow[]> {
  const { rows } = await pool.query<DelayRow>(
    `SELECT offer_id AS "offerId", network_id AS "networkId", count(*)::int AS count,
       least(${DELAY_HOURS}, greatest(0, floor(extract(epoch FROM converted_at - visit_at) / 3600)))::int AS hours
     FROM conversions WHERE desk_id = $1 AND NOT is_test AND converted_at > $2 GROUP BY 1, 2, 4`,
    [deskId, new Date(nowMs - DELAY_DAYS * 24 * HOUR_MS)],
  );
  return rows;
}
