/** What a network has sent lately: beside each URL that was handed over to it. */
import type { Pool } from 'pg';
import type { NetworkSeen } from '@tracheon/core/contract';
import { dayAgo, dayOfReceipt } from '../db/partitions.ts';
import { readAgent } from '../capture/visitor.ts';

const DAYS = 30;

export async function seenOfNetwork(
  pool: Pool,
  deskId: string,
  networkId: string,
): Promise<NetworkSeen['rows']> {
  const { rows } = await pool.query<NetworkSeen['rows'][number] & { lastAt: Date | string }>(
    `SELECT coalesce(o.reading->>'status', '') AS status, coalesce(e.name, '') AS "eventName", o.outcome,
       count(*)::int AS count, max(o.received_at) AS "lastAt"
     FROM outcomes o LEFT JOIN parts e ON e.id = o.event_type_id
     WHERE o.desk_id = $1 AND o.network_id = $2 AND o.received_at > now() - make_interval(days => $3)
     GROUP BY 1, 2, 3 ORDER BY 4 DESC`,
    [deskId, networkId, DAYS],
  );
  return rows.map((r) => ({ ...r, lastAt: new Date(r.lastAt).toISOString() }));
}

/** What was passed on to the network's second address in the same days. */
export async function relayedOfNetwork(
  pool: Pool,
  deskId: string,
  networkId: string,
): Promise<NetworkSeen['relayed']> {
  const { rows } = await pool.query<NetworkSeen['relayed']>(
    `SELECT count(*) FILTER (WHERE state = 'delivered')::int AS delivered, count(*) FILTER (WHERE state = 'waiting')::int AS waiting,
       count(*) FILTER (WHERE state = 'gave_up')::int AS "gaveUp",
       coalesce((array_agg(result ORDER BY trying_since DESC) FILTER (WHERE result NOT IN ('', 'delivered')))[1], '') AS "lastFailure"
     FROM relayed WHERE desk_id = $1 AND network_id = $2 AND trying_since > now() - make_interval(days => $3)`,
    [deskId, networkId, DAYS],
  );
  return rows[0]!;
}

type Pixels = NetworkSeen['pixels'][number];

/** Pixels of the same days by browser, most first: a browser that sends no cookie loses conversions. */
export async function pixelsOfNetwork(pool: Pool, deskId: string, networkId: string): Promise<Pixels[]> {
  const { rows } = await pool.query<{
    agent: string | null;
    count: number;
    byCookie: number;
    lost: number;
    currency: string | null;
    micros: string | null;
  }>(
    `SELECT r.headers->>'user-agent' AS agent, count(*)::int AS count,
       (count(*) FILTER (WHERE o.notes ? 'cookie:click_id'))::int AS "byCookie",
       (count(*) FILTER (WHERE o.reason IN ('no_cookie', 'unknown_transaction')))::int AS lost,
       coalesce(o.waiting_currency, '') AS currency,
       (sum(o.waiting_micros) FILTER (WHERE o.reason IN ('no_cookie', 'unknown_transaction')))::text AS micros
     FROM outcomes o JOIN receipts r ON r.desk_id = o.desk_id AND r.id = o.receipt_id AND ${dayOfReceipt('r.day', 'o.received_at')}
     WHERE o.desk_id = $1 AND o.network_id = $2 AND o.channel = 'pixel'
       AND o.received_at > now() - make_interval(days => $3) AND r.day >= $4::date
     GROUP BY agent, o.waiting_currency ORDER BY count DESC LIMIT ${MAX_AGENTS}`,
    [deskId, networkId, DAYS, dayAgo(DAYS + 1)],
  );
  const browsers = new Map<string, Pixels>();
  for (const { agent, count, byCookie, lost, currency, micros } of rows) {
    const { browser } = readAgent(agent ?? '');
    const all = browsers.get(browser) ?? { browser, count: 0, byTag: 0, byCookie: 0, lost: 0, lostSums: [] };
    browsers.set(browser, {
      browser,
      count: all.count + count,
      byTag: all.byTag + count - byCookie - lost,
      byCookie: all.byCookie + byCookie,
      lost: all.lost + lost,
      lostSums: micros === null ? all.lostSums : addSum(all.lostSums, currency ?? '', BigInt(micros)),
    });
  }
  return [...browsers.values()].sort((a, b) => b.count - a.count);
}
/** Browsers with more kinds of agents than these are rare. */
const MAX_AGENTS = 5000;

function addSum(sums: Pixels['lostSums'], currency: string, micros: bigint): Pixels['lostSums'] {
  const before = sums.find((s) => s.currency === currency);
  const sum = { currency, micros: String(BigInt(before?.micros ?? 0) + micros) };
  return [...sums.filter((s) => s !== before), sum];
}
