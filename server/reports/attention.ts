/** What needs a member's eye: under Today, each with the way to it. */
import type { Pool } from 'pg';
import { pageCheck, type Attention, type RunningConfiguration } from '@tracheon/core/contract';
import { pageRemarks } from '@tracheon/core/links';
import { localDay, shiftDay } from '@tracheon/core/time';
import { runningConfiguration } from '../snapshot/runningServers.ts';
import { feedsBehind } from './feedsBehind.ts';
import { signalsNow } from './signalsNow.ts';
import { unknownKeysToday } from './unknownKeys.ts';
import type { ReportDesk } from './period.ts';

/** Visits without a conversion are worth a look from this many on. */
const MANY_VISITS = 100;

/** What was kept nowhere is said for as long as figures of the week are read. */
const UNRECORDED_DAYS = 7;

type Add = (code: Attention['code'], count: number, sentence: string, to: string) => void;
const s = (n: number, one: string, many: string): string => (n === 1 ? one : many);

export async function attention(
  pool: Pool,
  desk: ReportDesk,
  broken: number,
  nowMs: number,
): Promise<Attention[]> {
  const week = shiftDay(localDay(nowMs, desk.zone), -6);
  const found = await counts(pool, desk.id, nowMs);
  const { repair, gaveUp } = found;
  const barren = await campaignsWithoutConversion(pool, desk, week);
  const differing = await offersPaidDifferently(pool, desk.id);
  const list: Attention[] = [];
  const add: Add = (code, count, sentence, to) => {
    if (count > 0) list.push({ code, count, sentence, to });
  };
  addLosses(add, found);
  await addServers(add, pool, desk.id, broken, nowMs);
  list.push(...(await feedsBehind(pool, desk.id, nowMs)), ...(await offersReady(pool, desk.id)));
  const asked = await findingsToDecide(pool, desk.id);
  add(
    'watch_asks',
    asked,
    `${asked} ${s(asked, 'finding of a watch waits', 'findings of watches wait')} for your decision.`,
    '/watches/notices',
  );
  const wanted = await partnersAsking(pool, desk.id);
  add(
    'partner_asks',
    wanted,
    `${wanted} ${s(wanted, 'partner asks', 'partners ask')} to promote an offer.`,
    '/parts/partner',
  );
  list.push(...(await signalsNow(pool, desk.id)));
  add(
    'notices_given_up',
    found.noticesLost,
    `Tracheon gave up on ${found.noticesLost} ${s(found.noticesLost, 'notice', 'notices')} by e-mail or webhook in the last 24 hours.`,
    '/watches/delivery',
  );
  add(
    'needs_repair',
    repair,
    `${repair} ${s(repair, 'postback needs', 'postbacks need')} repair.`,
    '/conversions/needs-repair',
  );
  const unknown = await unknownKeysToday(pool, desk.id);
  add(
    'unknown_keys',
    unknown,
    `${unknown} unknown ${s(unknown, 'key was', 'keys were')} called in the last 24 hours: a link or a postback URL is mistyped or no longer exists.`,
    '/conversions/unknown-keys',
  );
  add(
    'postbacks_given_up',
    gaveUp,
    `Tracheon gave up on ${gaveUp} ${s(gaveUp, 'postback', 'postbacks')} to sources: the source doesn’t know of ${s(gaveUp, 'this conversion', 'these conversions')}.`,
    '/conversions/postbacks-out?kind=gave_up',
  );
  for (const d of differing)
    add(
      'payout_differs',
      DIFFERENCES_IN_A_ROW,
      `${d.name}: the last ${DIFFERENCES_IN_A_ROW} postbacks reported a payout different from the offer’s fixed payout.`,
      `/parts/offer?open=${d.id}`,
    );
  for (const p of await pagesWithoutClicks(pool, desk.id, nowMs))
    add(
      'page_without_clicks',
      p.visits,
      `${p.name}: ${p.visits} visits since the last button click; usually ${p.usual}. Check that the button is still on the page.`,
      `/parts/landing-page?open=${p.id}`,
    );
  for (const p of await brokenPages(pool, desk.id))
    add('page_needs_fixing', 1, `${p.name}: ${p.says}`, `/parts/landing-page?open=${p.id}`);
  for (const b of barren)
    add(
      'visits_no_conversion',
      Number(b.n),
      `${b.name}: ${b.n} visits in the last 7 days and no conversion.`,
      `/campaigns/${b.id}`,
    );
  return list;
}

/** What was kept nowhere, or apart. */
function addLosses(add: Add, { lost, lostClicks, refused, aside }: Awaited<ReturnType<typeof counts>>): void {
  add(
    'unrecorded_visits',
    lost,
    `${lost} ${s(lost, 'visit was', 'visits were')} redirected but not recorded in the last ${UNRECORDED_DAYS} days, because database and disk both failed.`,
    '/today',
  );
  add(
    'unrecorded_visits',
    lostClicks,
    `${lostClicks} button ${s(lostClicks, 'click was', 'clicks were')} redirected but not recorded in the last ${UNRECORDED_DAYS} days, because database and disk both failed.`,
    '/today',
  );
  add(
    'refused_postbacks',
    refused,
    `${refused} ${s(refused, 'postback was', 'postbacks were')} answered with 503 in the last ${UNRECORDED_DAYS} days, because database and disk both failed. Most networks send them again. If yours doesn’t, ask it to.`,
    '/conversions/postbacks-in',
  );
  add(
    'quarantined_rows',
    aside,
    `${aside} ${s(aside, 'row', 'rows')} could not be stored. See the table quarantine.`,
    '/today',
  );
}

async function addServers(
  add: Add,
  pool: Pool,
  deskId: string,
  broken: number,
  nowMs: number,
): Promise<void> {
  add(
    'broken_campaign',
    broken,
    `${broken} ${s(broken, 'campaign has', 'campaigns have')} errors and ${s(broken, 'runs', 'run')} on ${s(broken, 'its', 'their')} last valid version.`,
    '/campaigns',
  );
  const behind = await serversBehind(pool, deskId, nowMs);
  add(
    'servers_behind',
    behind.length,
    `${behind.length} ${s(behind.length, 'server has', 'servers have')} not loaded your latest changes${behind[0]?.trouble ? `: ${behind[0].trouble}` : ''}. Visitors are sent by the version before.`,
    '/desk',
  );
}

async function campaignsWithoutConversion(
  pool: Pool,
  desk: ReportDesk,
  week: string,
): Promise<{ id: string; name: string; n: string }[]> {
  const { rows } = await pool.query<{ id: string; name: string; n: string }>(
    `SELECT p.id, p.name, count(*) AS n FROM visits v JOIN parts p ON p.id = v.campaign_id
     WHERE v.desk_id = $1 AND v.day >= $2::date - 1 AND v.at >= ($2::date::timestamp AT TIME ZONE $3)
       AND NOT v.is_bot AND NOT v.is_repeat AND NOT v.is_test AND p.state = 'live'
       AND NOT EXISTS (SELECT 1 FROM conversions c WHERE c.desk_id = $1 AND c.campaign_id = v.campaign_id AND NOT c.is_test
                       AND c.visit_at >= ($2::date::timestamp AT TIME ZONE $3))
     GROUP BY p.id, p.name HAVING count(*) >= $4 ORDER BY n DESC`,
    [desk.id, week, desk.zone, MANY_VISITS],
  );
  return rows;
}

type Counts = Record<
  'repair' | 'gaveUp' | 'noticesLost' | 'aside' | 'lost' | 'lostClicks' | 'refused',
  number
>;
async function counts(pool: Pool, deskId: string, nowMs: number): Promise<Counts> {
  const { rows } = await pool.query<Counts>(
    `SELECT (SELECT count(*) FROM outcomes WHERE desk_id = $1 AND outcome = 'repair')::int AS repair,
            (SELECT count(*) FROM outbox o JOIN parts p ON p.id = o.destination_id AND p.kind = 'source' WHERE o.desk_id = $1 AND o.state = 'gave_up')::int AS "gaveUp",
            (SELECT count(*) FROM notice_sends WHERE desk_id = $1 AND state IN ('gave_up', 'unknown') AND made_at > $3)::int AS "noticesLost",
            (SELECT count(*) FROM quarantine WHERE desk_id = $1)::int AS aside,
            coalesce(sum(times) FILTER (WHERE kind = 'visit'), 0)::int AS lost,
            coalesce(sum(times) FILTER (WHERE kind = 'button'), 0)::int AS "lostClicks",
            coalesce(sum(times) FILTER (WHERE kind = 'postback'), 0)::int AS refused
     FROM unrecorded WHERE desk_id = $1 AND hour >= $2`,
    [deskId, new Date(nowMs - UNRECORDED_DAYS * 86_400_000), new Date(nowMs - 86_400_000)],
  );
  return rows[0]!;
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

/** Silence of a page's buttons is looked for in these days. */
const CLICK_DAYS = 3;
/** Visits without a click are worth a look from this many on, and when so many are far beyond chance. */
const MANY_SILENT = 30;
/** At the page's own rate before, this many clicks would have been expected: chance of none e⁻⁶, 1 in 400. */
const MISSED_CLICKS = 6;

/** Pages whose visitors clicked before, and have stopped doing so. */
async function pagesWithoutClicks(
  pool: Pool,
  deskId: string,
  nowMs: number,
): Promise<{ id: string; name: string; visits: number; usual: string }[]> {
  const from = new Date(nowMs - CLICK_DAYS * 86_400_000).toISOString();
  const { rows } = await pool.query<{
    id: string;
    name: string;
    silent: number;
    before: number;
    clicked: number;
  }>(
    `WITH clicks AS (
       SELECT landing_id, max(at) AS last, count(DISTINCT visit_id) AS clicked FROM button_clicks
       WHERE desk_id = $1 AND day >= ($2::timestamptz AT TIME ZONE 'UTC')::date AND at >= $2::timestamptz GROUP BY 1)
     SELECT p.id, p.name, count(*) FILTER (WHERE v.at > c.last)::int AS silent,
       count(*) FILTER (WHERE v.at <= c.last)::int AS before, c.clicked::int
     FROM visits v JOIN clicks c ON c.landing_id = v.landing_id JOIN parts p ON p.id = v.landing_id
     WHERE v.desk_id = $1 AND v.day >= ($2::timestamptz AT TIME ZONE 'UTC')::date AND v.at >= $2::timestamptz
       AND NOT v.is_bot AND NOT v.is_repeat AND NOT v.is_test AND p.state = 'live'
     GROUP BY p.id, p.name, c.clicked ORDER BY silent DESC`,
    [deskId, from],
  );
  return rows
    .filter((r) => r.silent >= MANY_SILENT && (r.silent * r.clicked) / Math.max(1, r.before) >= MISSED_CLICKS)
    .map((r) => ({
      id: r.id,
      name: r.name,
      visits: r.silent,
      usual: usually(r.before / r.clicked),
    }));
}

/** Offers that waited for their partner, and whose page is there now. */
async function findingsToDecide(pool: Pool, deskId: string): Promise<number> {
  const { rows } = await pool.query<{ n: number }>(
    `SELECT count(*)::int AS n FROM watch_findings WHERE desk_id = $1 AND state = 'asked' AND ended_at IS NULL`,
    [deskId],
  );
  return rows[0]!.n;
}

async function partnersAsking(pool: Pool, deskId: string): Promise<number> {
  const { rows } = await pool.query<{ n: number }>(
    `SELECT count(*)::int AS n FROM offer_accesses x JOIN parts p ON p.id = x.partner_id AND p.state = 'live'
     JOIN parts o ON o.id = x.offer_id AND o.state = 'live' AND o.body->>'partnerAccess' IN ('request', 'invitation')
     WHERE x.desk_id = $1 AND x.state = 'asked'`,
    [deskId],
  );
  return rows[0]!.n;
}

async function offersReady(pool: Pool, deskId: string): Promise<Attention[]> {
  const { rows } = await pool.query<{ id: string; name: string }>(
    `SELECT p.id, p.name FROM offer_waits w JOIN parts p ON p.id = w.part_id
     WHERE w.desk_id = $1 AND w.ready_at IS NOT NULL AND p.state = 'live' AND p.body->>'sending' = 'waiting' ORDER BY p.name`,
    [deskId],
  );
  return rows.map(({ id, name }) => ({
    code: 'offer_ready',
    count: 1,
    sentence: `${name}: the partner’s page is there now. Set the offer to live.`,
    to: `/parts/offer?open=${id}`,
  }));
}

/** Pages at whose last check something was wrong, with the first thing that was. */
async function brokenPages(
  pool: Pool,
  deskId: string,
): Promise<{ id: string; name: string; says: string }[]> {
  const { rows } = await pool.query<{ id: string; name: string; result: unknown }>(
    `SELECT p.id, p.name, c.result FROM page_checks c JOIN parts p ON p.id = c.part_id
     WHERE c.desk_id = $1 AND p.state = 'live' ORDER BY p.name`,
    [deskId],
  );
  return rows.flatMap(({ id, name, result }) => {
    const says = pageRemarks(pageCheck.parse(result), false).find((r) => r.weight === 'bad')?.words;
    return says ? [{ id, name, says }] : [];
  });
}

const usually = (visitsPerClick: number): string => {
  const n = Math.max(1, Math.round(visitsPerClick));
  return n === 1 ? 'nearly every visitor clicks' : `one visitor in ${n} clicks`;
};

/** A change takes up to a second to be live everywhere; what takes longer has a reason. */
const PATIENCE_MS = 5000;

async function serversBehind(
  pool: Pool,
  deskId: string,
  nowMs: number,
): Promise<RunningConfiguration['servers']> {
  const { version, changedAt, servers } = await runningConfiguration(pool, deskId);
  if (nowMs - Date.parse(changedAt) < PATIENCE_MS) return [];
  return servers.filter((s) => s.version !== version);
}
