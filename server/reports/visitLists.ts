/** Visits: listed, and one with everything that is known of it. */
import type { Pool } from 'pg';
import {
  wholeBody,
  type ClickMatch,
  type Page,
  type VisitKind,
  type VisitRow,
  type WholeVisit,
} from '@tracheon/core/contract';
import { clickIdDay } from '@tracheon/core/identity';
import { dimensions, dimensionText } from '@tracheon/core/metrics';
import { branchesOf } from '@tracheon/core/routing';
import { dayAgo } from '../db/partitions.ts';
import { narrowBehind } from './behind.ts';
import { TO_OFFER } from './campaignLive.ts';
import {
  Conditions,
  like,
  pageOf,
  pageQuery,
  type ListQuestion,
  type SortColumns,
  type SortedRow,
} from './listPage.ts';

const VISIT_COLUMNS = `at, campaign_id AS "campaignId", offer_id AS "offerId", landing_id AS "landingId", fate, country, device, device_model AS "deviceModel",
  os, os_version AS "osVersion", browser, browser_version AS "browserVersion", language, referrer_host AS "referrerHost",
  address_prefix AS "addressPrefix", guessed, is_bot AS "isBot", is_repeat AS "isRepeat", is_unique AS "isUnique",
  is_test AS "isTest", cost_micros AS "costMicros", cost_currency AS "costCurrency", source_click_id AS "sourceClickId",
  subs, raw_query AS "rawQuery", notes`;
/** The latest visits are looked for in these many days; older ones are a report's matter. */
const LATEST_DAYS = 31;

const visitSorts: SortColumns = { at: ['at', 'timestamptz'] };
/** The very conditions by which an ID trail counts, so that its shares lead to the visits behind them. */
const counted = 'NOT is_bot AND NOT is_test';
/** `?`: a day before which no visit of the list lies, so that clicks of earlier days are not opened. */
const CLICKED = `EXISTS (SELECT 1 FROM button_clicks b
  WHERE b.desk_id = visits.desk_id AND b.day = visits.day AND b.day >= ?::date - 1 AND b.visit_id = visits.id)`;
const visitKinds: Record<VisitKind, string> = {
  counted,
  with_click_id: `${counted} AND source_click_id <> ''`,
  without_click_id: `${counted} AND source_click_id = ''`,
  unfilled: `${counted} AND notes::text LIKE '%"unsubstituted:%'`,
  to_page: `NOT is_bot AND landing_id <> ''`,
  clicked: `NOT is_bot AND ${CLICKED}`,
  to_offer: `NOT is_bot AND ${TO_OFFER} AND (landing_id = '' OR ${CLICKED})`,
  fallback: `NOT is_bot AND NOT (${TO_OFFER})`,
  bot: 'is_bot',
  test: 'is_test',
  repeat: 'is_repeat',
  no_cost: `NOT is_test AND notes ? 'no_cost'`,
  unreadable_cost: `NOT is_test AND notes ? 'unreadable_cost'`,
  odd_cost: `NOT is_test AND notes ? 'odd_cost'`,
};

export async function listVisits(pool: Pool, q: ListQuestion<'listVisits'>): Promise<Page<VisitRow>> {
  const where = new Conditions()
    .add('desk_id = ?', q.deskId)
    .narrow('campaign_id = ?', q.campaign)
    .narrow('source_id = ?', q.source)
    .narrow('id ILIKE ? OR source_click_id ILIKE ? OR raw_query ILIKE ?', like(q.search));
  // Only the partitions of the period are opened: the day is that of UTC.
  const from = q.from === '' ? dayAgo(LATEST_DAYS - 1) : q.from;
  where.add('day >= ?::date - 1', from);
  if (q.to !== '') where.add(`day <= ?::date + 1`, q.to);
  await narrowBehind(pool, where, q, { table: 'visits', time: 'at', hasExtras: false });
  if (q.kind !== '') {
    const condition = visitKinds[q.kind];
    // Others have a `?` of their own, which asks for a note.
    if (condition.includes(CLICKED)) where.add(condition, from);
    else where.always(condition);
  }
  if (q.hours > 0)
    where.add(
      `at > ?::timestamptz AND day >= (?::timestamptz AT TIME ZONE 'UTC')::date`,
      new Date(Date.now() - q.hours * 3_600_000),
    );
  const statement = { select: VISIT_COLUMNS, from: 'visits', id: 'id', where };
  const { text, values } = pageQuery(q, visitSorts, statement);
  const { rows } = await pool.query<VisitRow & { at: Date | string } & SortedRow>(text, values);
  return pageOf(rows, q, (r) => ({ ...r, at: new Date(r.at).toISOString() }));
}

/** What is known of a visit by its dimensions; what is empty is left out. */
async function describeVisit(pool: Pool, place: string[]): Promise<WholeVisit['dimensions']> {
  const { rows } = await pool.query<{
    values: Record<string, string>;
    names: Record<string, string> | null;
    campaign: unknown;
  }>(
    `SELECT to_jsonb(v) AS values,
       (SELECT c.body FROM parts c WHERE c.desk_id = v.desk_id AND c.id = v.campaign_id) AS campaign, (SELECT jsonb_object_agg(p.id, p.name) FROM parts p WHERE p.desk_id = v.desk_id
       AND p.id IN (v.campaign_id, v.source_id, v.network_id, v.offer_id, v.landing_id, v.brought_by)) AS names
     FROM visits v WHERE v.desk_id = $1 AND v.day = $2 AND v.id = $3`,
    place,
  );
  const [row] = rows;
  if (!row) return [];
  // As the campaign's branches are called now; one that is gone keeps its ID.
  const branches = row.campaign ? branchesOf(wholeBody('campaign', row.campaign)) : [];
  const names = { ...row.names, ...Object.fromEntries(branches.map((b) => [b.id, b.name])) };
  return dimensions.flatMap((dimension) => {
    const { name, label } = dimension;
    const value = dimensionText(dimension, row.values[name] ?? '', (id) => names[id] ?? '');
    return value === '' ? [] : [{ name, label, value }];
  });
}

export async function oneVisit(pool: Pool, deskId: string, clickId: string): Promise<WholeVisit | null> {
  const place = [deskId, clickIdDay(clickId), clickId];
  const [{ rows }, clicks, described] = await Promise.all([
    pool.query<VisitRow & { at: Date | string }>(
      `SELECT id, ${VISIT_COLUMNS} FROM visits WHERE desk_id = $1 AND day = $2 AND id = $3`,
      place,
    ),
    pool.query<{ n: number; at: Date; match: ClickMatch; told: string; offerName: string }>(
      `SELECT b.n, b.at, b.match, b.told, COALESCE(o.name, '') AS "offerName" FROM button_clicks b
       LEFT JOIN parts o ON o.desk_id = b.desk_id AND o.id = b.offer_id
       WHERE b.desk_id = $1 AND b.day = $2 AND b.visit_id = $3 ORDER BY b.id LIMIT 100`,
      place,
    ),
    describeVisit(pool, place),
  ]);
  if (!rows[0]) return null;
  return {
    ...rows[0],
    at: new Date(rows[0].at).toISOString(),
    dimensions: described,
    buttonClicks: clicks.rows.map((c) => ({ ...c, at: c.at.toISOString() })),
  };
}
