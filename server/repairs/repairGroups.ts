/** Postbacks that need repair, in groups of alike ones: what they have in common, what waits in them, and a hint for the fix. */
import type { Pool } from 'pg';
import type { RepairGroup } from '@tracheon/core/contract';
import { parsePostback } from '@tracheon/core/links';
import { clickIdDay, parseClickId } from '@tracheon/core/identity';
import { dayOfReceipt, daysOfReceipts } from '../db/partitions.ts';

export type GroupName = Pick<RepairGroup, 'networkId' | 'outcome' | 'reason' | 'key'>;

/** More groups than these are read by nobody; the largest are shown. */
const MAX_GROUPS = 100;
/** Newest postbacks of a group whose offers and parameters are looked at. */
const LOOKED_AT = 20;

export const ofGroup = (from: number): string =>
  `o.desk_id = $1 AND o.network_id = $${from} AND o.outcome = $${from + 1} AND o.reason = $${from + 2} AND o.repair_key = $${from + 3}`;
export const groupValues = ({ networkId, outcome, reason, key }: GroupName): string[] => [
  networkId,
  outcome,
  reason,
  key,
];

interface GroupRow extends Omit<RepairGroup, 'waiting' | 'offerNames' | 'clickIdIn' | 'firstAt' | 'lastAt'> {
  firstAt: Date;
  lastAt: Date;
}
const nameOf = ({ networkId, outcome, reason, key }: GroupName): string =>
  [networkId, outcome, reason, key].join('|');

/** In a few questions for all groups together: the screen asks again with each postback that comes. */
export async function repairGroups(
  pool: Pool,
  desk: { id: string; currency: string },
): Promise<RepairGroup[]> {
  const { rows } = await pool.query<GroupRow>(
    `SELECT ${GROUP_COLUMNS}, n.name AS "networkName", min(o.detail) AS detail, count(*)::int AS count,
       min(o.received_at) AS "firstAt", max(o.received_at) AS "lastAt", max(o.receipt_id) AS "exampleId"
     FROM outcomes o JOIN parts n ON n.id = o.network_id
     WHERE o.desk_id = $1 AND o.outcome IN ('repair', 'held')
     GROUP BY o.network_id, n.name, o.outcome, o.reason, o.repair_key ORDER BY count DESC, "lastAt" DESC LIMIT ${MAX_GROUPS}`,
    [desk.id],
  );
  const [waiting, newest] = await Promise.all([
    waitingByGroup(pool, desk.id),
    newestByGroup(pool, desk.id, rows),
  ]);
  const offers = await offersOf(
    pool,
    desk.id,
    newest.map((n) => n.clickId),
  );
  return rows.map((row) => {
    const own = newest.filter((n) => nameOf(n) === nameOf(row));
    const itsOffers = offers.filter((o) => own.some((n) => o.clickIds.includes(n.clickId)));
    const currencies = new Set(itsOffers.map((o) => o.currency));
    // An offer's currency counts where the postback has none.
    const usual = currencies.size === 1 ? [...currencies][0]! : desk.currency;
    return {
      ...row,
      firstAt: row.firstAt.toISOString(),
      lastAt: row.lastAt.toISOString(),
      waiting: summed(
        waiting.filter((w) => nameOf(w) === nameOf(row)),
        usual,
      ),
      offerNames: itsOffers.map((o) => o.name),
      clickIdIn: LACKS_CLICK_ID.has(row.reason) ? clickIdParameters(own) : [],
    };
  });
}
const GROUP_COLUMNS = `o.network_id AS "networkId", o.outcome, o.reason, o.repair_key AS key`;
/** Only in these the click ID may stand in another parameter. */
const LACKS_CLICK_ID: ReadonlySet<RepairGroup['reason']> = new Set(['no_click_id', 'click_unsubstituted']);

interface Waiting extends GroupName {
  currency: string;
  micros: string;
}
async function waitingByGroup(pool: Pool, deskId: string): Promise<Waiting[]> {
  const { rows } = await pool.query<Waiting>(
    `SELECT ${GROUP_COLUMNS}, coalesce(o.waiting_currency, '') AS currency, sum(o.waiting_micros)::text AS micros
     FROM outcomes o WHERE o.desk_id = $1 AND o.outcome IN ('repair', 'held') AND o.waiting_micros IS NOT NULL
     GROUP BY o.network_id, o.outcome, o.reason, o.repair_key, o.waiting_currency`,
    [deskId],
  );
  return rows;
}

/** By currency; what has none is in the usual one. */
function summed(waiting: readonly Waiting[], usual: string): RepairGroup['waiting'] {
  const sums = new Map<string, bigint>();
  for (const { currency, micros } of waiting) {
    const code = currency || usual;
    sums.set(code, (sums.get(code) ?? 0n) + BigInt(micros));
  }
  return [...sums].sort().map(([currency, micros]) => ({ currency, micros: micros.toString() }));
}

interface Newest extends GroupName {
  clickId: string;
  query: string;
  body: string;
  contentType: string;
}
async function newestByGroup(pool: Pool, deskId: string, groups: readonly GroupName[]): Promise<Newest[]> {
  const newest = `unnest($2::text[], $3::text[], $4::text[], $5::text[]) AS g (network_id, outcome, reason, key)
     JOIN LATERAL (SELECT * FROM outcomes x WHERE x.desk_id = $1 AND x.network_id = g.network_id AND x.outcome = g.outcome
       AND x.reason = g.reason AND x.repair_key = g.key ORDER BY x.receipt_id DESC LIMIT ${LOOKED_AT}) o ON true`;
  const names = [
    deskId,
    groups.map((g) => g.networkId),
    groups.map((g) => g.outcome),
    groups.map((g) => g.reason),
    groups.map((g) => g.key),
  ];
  const days = await daysOfReceipts(pool, `SELECT o.receipt_id FROM ${newest}`, names);
  const { rows } = await pool.query<Newest>(
    `SELECT ${GROUP_COLUMNS}, o.click_id AS "clickId", r.query, r.body, r.content_type AS "contentType" FROM ${newest}
     JOIN receipts r ON r.desk_id = o.desk_id AND r.id = o.receipt_id AND ${dayOfReceipt('r.day', 'o.received_at')}
       AND r.day = ANY ($6::date[])`,
    [...names, days],
  );
  return rows;
}

/** Offers of the visits that these are about. */
async function offersOf(
  pool: Pool,
  deskId: string,
  clickIds: readonly string[],
): Promise<{ name: string; currency: string; clickIds: string[] }[]> {
  const ids = [...new Set(clickIds.filter((id) => parseClickId(id) !== null))];
  const { rows } = await pool.query<{ name: string; currency: string; clickIds: string[] }>(
    `SELECT p.name, p.body->>'currency' AS currency, array_agg(v.id) AS "clickIds"
     FROM visits v JOIN parts p ON p.id = v.offer_id
     WHERE v.desk_id = $1 AND v.day = ANY ($2::date[]) AND v.id = ANY ($3) GROUP BY p.id ORDER BY 1`,
    [deskId, [...new Set(ids.map(clickIdDay))], ids],
  );
  return rows;
}

/** Parameters whose value is a click ID of ours, by how many postbacks have it there. */
function clickIdParameters(newest: readonly Newest[]): RepairGroup['clickIdIn'] {
  const counts = new Map<string, number>();
  for (const { query, body, contentType } of newest)
    for (const [name, value] of parsePostback(query, body, contentType).values)
      if (parseClickId(value) !== null) counts.set(name, (counts.get(name) ?? 0) + 1);
  return [...counts].map(([parameter, count]) => ({ parameter, count })).sort((a, b) => b.count - a.count);
}
