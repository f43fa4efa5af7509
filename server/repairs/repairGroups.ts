/** Postbacks that need repair, in groups of alike ones: what they have in common, what waits in them, and a hint for the fix. */
import type { Pool } from 'pg';
import type { RepairGroup } from '@tracheon/core/contract';
import { parsePostback } from '@tracheon/core/links';
import { clickIdDay, parseClickId } from '@tracheon/core/identity';
import { dayOfReceipt } from '../db/partitions.ts';

export type GroupName = Pick<RepairGroup, 'networkId' | 'outcome' | 'reason' | 'key'>;

/** More groups than these are read by nobody; the largest are shown. */
const MAX_GROUPS = 100;
/** Newest postbacks of a group whose offers and parameters are looked at. */
const LOOKED_AT = 50;

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

export async function repairGroups(
  pool: Pool,
  desk: { id: string; currency: string },
): Promise<RepairGroup[]> {
  const { rows } = await pool.query<GroupRow>(
    `SELECT o.network_id AS "networkId", n.name AS "networkName", o.outcome, o.reason, o.repair_key AS key,
       min(o.detail) AS detail, count(*)::int AS count, min(o.received_at) AS "firstAt", max(o.received_at) AS "lastAt",
       max(o.receipt_id) AS "exampleId"
     FROM outcomes o JOIN parts n ON n.id = o.network_id
     WHERE o.desk_id = $1 AND o.outcome IN ('repair', 'held')
     GROUP BY o.network_id, n.name, o.outcome, o.reason, o.repair_key ORDER BY count DESC, "lastAt" DESC LIMIT ${MAX_GROUPS}`,
    [desk.id],
  );
  return Promise.all(
    rows.map(async (row) => {
      const newest = await newestOf(pool, desk.id, row);
      const offers = await offersOf(pool, desk.id, newest);
      const currencies = new Set(offers.map((o) => o.currency));
      // An offer's currency counts where the postback has none.
      const usual = currencies.size === 1 ? [...currencies][0]! : desk.currency;
      return {
        ...row,
        firstAt: row.firstAt.toISOString(),
        lastAt: row.lastAt.toISOString(),
        waiting: await waitingIn(pool, desk.id, row, usual),
        offerNames: offers.map((o) => o.name),
        clickIdIn: clickIdParameters(newest),
      };
    }),
  );
}

async function waitingIn(
  pool: Pool,
  deskId: string,
  group: GroupName,
  usual: string,
): Promise<RepairGroup['waiting']> {
  const { rows } = await pool.query<RepairGroup['waiting'][number]>(
    `SELECT coalesce(nullif(o.waiting_currency, ''), $6) AS currency, sum(o.waiting_micros)::text AS micros
     FROM outcomes o WHERE ${ofGroup(2)} AND o.waiting_micros IS NOT NULL GROUP BY 1 ORDER BY 1`,
    [deskId, ...groupValues(group), usual],
  );
  return rows;
}

interface Newest {
  clickId: string;
  query: string;
  body: string;
  contentType: string;
}
async function newestOf(pool: Pool, deskId: string, group: GroupName): Promise<Newest[]> {
  const { rows } = await pool.query<Newest>(
    `SELECT o.click_id AS "clickId", r.query, r.body, r.content_type AS "contentType"
     FROM (SELECT * FROM outcomes o WHERE ${ofGroup(2)} ORDER BY o.receipt_id DESC LIMIT ${LOOKED_AT}) o
     JOIN receipts r ON r.desk_id = o.desk_id AND r.id = o.receipt_id AND ${dayOfReceipt('r.day', 'o.received_at')}`,
    [deskId, ...groupValues(group)],
  );
  return rows;
}

/** Offers of the visits that these are about. */
async function offersOf(
  pool: Pool,
  deskId: string,
  newest: readonly Newest[],
): Promise<{ name: string; currency: string }[]> {
  const ids = [...new Set(newest.map((r) => r.clickId).filter((id) => parseClickId(id) !== null))];
  const { rows } = await pool.query<{ name: string; currency: string }>(
    `SELECT DISTINCT p.name, p.body->>'currency' AS currency FROM visits v JOIN parts p ON p.id = v.offer_id
     WHERE v.desk_id = $1 AND v.day = ANY ($2::date[]) AND v.id = ANY ($3) ORDER BY 1`,
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
