/** Facts as they lie in PostgreSQL, read for the index. */
import type { Pool } from 'pg';
import { dimensions } from '@tracheon/core/metrics';
import { escapeLiteral } from 'pg';
import { copyOut } from '../db/copyOut.ts';
import { FLAGS } from './flags.ts';

export interface VisitFact extends Record<string, unknown> {
  id: string;
  at: number;
  /** See FLAGS. */
  flags: number;
  cost_micros: string | null;
  cost_currency: string;
  subs: Record<string, string>;
}
export interface ConversionFact extends Record<string, unknown> {
  id: string;
  desk_id: string;
  visit_at: number;
  converted_at: number;
  click_id: string;
  event_type_id: string;
  status: string;
  currency: string;
  payout_micros: string;
  base_micros: string | null;
  partner_base_micros: string | null;
  /** A feed told it, and nothing final of its day yet. */
  is_estimate: boolean;
  subs: Record<string, string>;
  extras: Record<string, string>;
}

const ms = (column: string): string =>
  `(extract(epoch FROM ${column}) * 1000)::float8 AS ${column.split('.')[1]}`;
const named = (table: string): string => dimensions.map((d) => `${table}.${d.name}`).join(', ');
/** Of a visit `v` with the version `pv` of its campaign. */
function flagsSql(day: string): string {
  const is: Record<keyof typeof FLAGS, string> = {
    bot: 'v.is_bot',
    repeat: 'v.is_repeat',
    test: 'v.is_test',
    unique: 'v.is_unique',
    clicked: `EXISTS (SELECT 1 FROM button_clicks b WHERE b.desk_id = v.desk_id AND b.day = ${day} AND b.visit_id = v.id)`,
    page: `v.landing_id <> ''`,
    offer: `v.offer_id <> ''`,
    // The campaign, as it was then, took costs from links.
    link: `v.cost_micros IS NOT NULL AND coalesce(pv.body->>'costModel' = 'link', false)`,
    // Those are set when costs are settled.
    feed: 'false',
    file: 'false',
    sealed: 'false',
  };
  return Object.entries(is)
    .map(([name, sql]) => `CASE WHEN ${sql} THEN ${FLAGS[name as keyof typeof FLAGS]} ELSE 0 END`)
    .join(' + ');
}
/** The day is $2, so that only its partitions are opened. */
const VISIT = `v.id, ${ms('v.at')}, ${named('v')}, ${flagsSql('$2')} AS flags, v.cost_micros, v.cost_currency, v.subs`;
const CAMPAIGN = `LEFT JOIN part_versions pv ON pv.part_id = v.campaign_id AND pv.version = v.campaign_version`;
const CONVERSION = `c.id, c.desk_id, ${ms('c.visit_at')}, ${ms('c.converted_at')}, c.click_id, ${named('c')}, c.event_type_id,
  c.status, c.currency, c.payout_micros, c.base_micros, c.partner_base_micros, c.subs, c.extras, fd.feed_id IS NOT NULL AS is_estimate`;
/** What feeds tell names their day as its transaction; see takeIn.ts. */
const OPEN_DAY = `LEFT JOIN feed_days fd ON c.transaction LIKE 'feed:%' AND fd.feed_id = split_part(c.transaction, ':', 2)
  AND fd.day::text = split_part(c.transaction, ':', 3) AND fd.final_as_of IS NULL`;

/** Where written rows lie; see migration 0030. */
export interface FeedBatch {
  tx: string;
  kind: 'visit' | 'click';
  desk_id: string;
  day: string;
  first_id: string;
  last_id: string;
}
export interface Change {
  kind: 'conversion' | 'bot_mark' | 'erasure' | 'cost';
  desk_id: string;
  subject_id: string;
}
/** Transactions from the first on, and before the second. */
export interface Span {
  from: bigint;
  upTo: bigint;
}

/** What one step of the feed takes. */
const BATCHES = 200;
const CHANGES = 5000;

/** The next transactions that are all over; null when there are none. `hasMore`: of those that are over, some are left. */
export async function nextSpan(pool: Pool, from: bigint): Promise<(Span & { hasMore: boolean }) | null> {
  const { rows } = await pool.query<{ xmin: string; batch: string | null; change: string | null }>(
    `SELECT x.xmin::text AS xmin,
       (SELECT tx::text FROM feed_batches WHERE tx >= $1::xid8 AND tx < x.xmin ORDER BY feed_batches.tx OFFSET ${BATCHES} LIMIT 1) AS batch,
       (SELECT tx::text FROM fact_changes WHERE tx >= $1::xid8 AND tx < x.xmin ORDER BY fact_changes.tx OFFSET ${CHANGES} LIMIT 1) AS change
     FROM (SELECT pg_snapshot_xmin(pg_current_snapshot()) AS xmin) x`,
    [String(from)],
  );
  const ends = [rows[0]!.xmin, rows[0]!.batch, rows[0]!.change].filter((e) => e !== null).map(BigInt);
  const first = ends.reduce((a, b) => (b < a ? b : a));
  // One transaction may be larger than a step: it is taken whole.
  const upTo = first <= from && BigInt(rows[0]!.xmin) > from ? from + 1n : first;
  return upTo > from ? { from, upTo, hasMore: upTo < BigInt(rows[0]!.xmin) } : null;
}

/** Of all that PostgreSQL has now, nothing is of this transaction or a later one. */
export async function nextTransaction(pool: Pool): Promise<bigint> {
  const { rows } = await pool.query<{ next: string }>(
    'SELECT pg_snapshot_xmax(pg_current_snapshot())::text AS next',
  );
  return BigInt(rows[0]!.next);
}

export async function batchesIn(pool: Pool, { from, upTo }: Span): Promise<FeedBatch[]> {
  const { rows } = await pool.query<FeedBatch>(
    `SELECT tx::text AS tx, kind, desk_id, day::text AS day, first_id, last_id FROM feed_batches
     WHERE tx >= $1::xid8 AND tx < $2::xid8 ORDER BY feed_batches.tx`,
    [String(from), String(upTo)],
  );
  return rows;
}

export async function changesIn(pool: Pool, { from, upTo }: Span): Promise<Change[]> {
  const { rows } = await pool.query<Change>(
    `SELECT DISTINCT kind, desk_id, subject_id FROM fact_changes WHERE tx >= $1::xid8 AND tx < $2::xid8`,
    [String(from), String(upTo)],
  );
  return rows;
}

/** What a conversion was before a change. */
export interface StepFact {
  desk_id: string;
  n: string;
  id: string;
  at: number;
  /** null: it was not there. */
  old: {
    status: string;
    currency: string;
    payoutMicros: string;
    baseMicros: string | null;
    convertedAt: string;
    /** Left out where no partner was paid. */
    partnerBaseMicros?: string | null;
  } | null;
}
const STEP = `desk_id, id::text AS n, subject_id AS id, ${ms('f.at')}, old`;
/** A row without values before and after says only that the index has to look again. */
const IS_STEP = `kind = 'conversion' AND (old IS NOT NULL OR new IS NOT NULL)`;
export async function stepsIn(pool: Pool, { from, upTo }: Span): Promise<StepFact[]> {
  const { rows } = await pool.query<StepFact>(
    `SELECT ${STEP} FROM fact_changes f WHERE tx >= $1::xid8 AND tx < $2::xid8 AND ${IS_STEP}`,
    [String(from), String(upTo)],
  );
  return rows;
}
/** Of a desk, from before a transaction on. */
export async function stepPage(
  pool: Pool,
  deskId: string,
  upTo: bigint,
  after: string,
  most: number,
): Promise<StepFact[]> {
  const { rows } = await pool.query<StepFact>(
    `SELECT ${STEP} FROM fact_changes f WHERE desk_id = $1 AND tx < $2::xid8 AND id > $3 AND ${IS_STEP} ORDER BY f.id LIMIT $4`,
    [deskId, String(upTo), after, most],
  );
  return rows;
}

/** The rows that these batches wrote; each by its own transaction, so that none comes twice. */
export const visitsOf = (pool: Pool, deskId: string, batches: readonly FeedBatch[]): Promise<VisitFact[]> =>
  byDay(batches, async (keys) => {
    const { rows } = await pool.query<VisitFact>(
      `SELECT ${VISIT} FROM unnest($3::text[], $4::text[], $5::xid8[]) AS k (first_id, last_id, tx)
       CROSS JOIN LATERAL (SELECT * FROM visits WHERE desk_id = $1 AND day = $2 AND id BETWEEN k.first_id AND k.last_id
         AND tx = k.tx OFFSET 0) v ${CAMPAIGN}`,
      [deskId, ...keys],
    );
    return rows;
  });

/** Visits that were clicked in these batches. */
export const clickedOf = (pool: Pool, deskId: string, batches: readonly FeedBatch[]): Promise<string[]> =>
  byDay(batches, async (keys) => {
    const { rows } = await pool.query<{ id: string }>(
      `SELECT DISTINCT b.visit_id AS id FROM unnest($3::text[], $4::text[], $5::xid8[]) AS k (first_id, last_id, tx)
       CROSS JOIN LATERAL (SELECT visit_id FROM button_clicks WHERE desk_id = $1 AND day = $2
         AND visit_id BETWEEN k.first_id AND k.last_id AND tx = k.tx OFFSET 0) b`,
      [deskId, ...keys],
    );
    return rows.map((r) => r.id);
  });

type Keys = [day: string, firstIds: string[], lastIds: string[], transactions: string[]];
/** Mostly one day; each is asked for by itself, so that only its partitions are opened. */
async function byDay<R>(batches: readonly FeedBatch[], read: (keys: Keys) => Promise<R[]>): Promise<R[]> {
  const found: R[] = [];
  for (const day of new Set(batches.map((b) => b.day))) {
    const of = batches.filter((b) => b.day === day);
    const keys: Keys = [day, of.map((b) => b.first_id), of.map((b) => b.last_id), of.map((b) => b.tx)];
    for (const row of await read(keys)) found.push(row);
  }
  return found;
}

/** Those of them that are there by now. */
export async function conversionsById(pool: Pool, ids: readonly string[]): Promise<ConversionFact[]> {
  if (ids.length === 0) return [];
  const { rows } = await pool.query<ConversionFact>(
    `SELECT ${CONVERSION} FROM conversions c ${OPEN_DAY} WHERE c.id = ANY ($1) AND NOT c.is_test`,
    [ids],
  );
  return rows;
}

/** Of visits of transactions before `upTo`. */
interface VisitsOfDay {
  deskId: string;
  day: string;
  upTo: bigint;
}
const visitsOfDay = ({ deskId, day, upTo }: VisitsOfDay): string =>
  `desk_id = ${escapeLiteral(deskId)} AND day = ${escapeLiteral(day)} AND tx < '${upTo}'::xid8`;

/** Names of sub-IDs of a day's visits, besides those that are known. */
export async function newSubNames(pool: Pool, of: VisitsOfDay, known: readonly string[]): Promise<string[]> {
  const { rows } = await pool.query<{ name: string }>(
    `SELECT DISTINCT jsonb_object_keys(subs - $1::text[]) AS name FROM visits WHERE ${visitsOfDay(of)} AND subs - $1::text[] <> '{}'`,
    [known],
  );
  return rows.map((r) => r.name);
}

/** What is in each line of a page of visits, in this order; sub-IDs follow in the order of their names. */
export const visitPageColumns = [
  'id',
  'at_ms',
  ...dimensions.map((d) => d.name),
  'flags',
  'cost_micros',
  'cost_currency',
];

/** Writes a page of a day's visits to a file. Returns how many there are, and the ID of the last one. */
export async function copyVisitPage(
  pool: Pool,
  of: VisitsOfDay & { after: string; most: number; subs: readonly string[] },
  path: string,
): Promise<{ rows: number; last: string }> {
  const subs = of.subs.map((name) => `, v.subs->>${escapeLiteral(name)}`).join('');
  const { rows, last } = await copyOut(
    pool,
    `SELECT v.id, round(extract(epoch FROM v.at) * 1000)::bigint, ${named('v')}, ${flagsSql(escapeLiteral(of.day))},
       v.cost_micros, v.cost_currency${subs}
     FROM (SELECT * FROM visits WHERE ${visitsOfDay(of)} AND id > ${escapeLiteral(of.after)} ORDER BY id LIMIT ${of.most}) v ${CAMPAIGN} ORDER BY v.id`,
    path,
  );
  return { rows, last: last.slice(0, last.indexOf(',')) };
}

export async function conversionPage(
  pool: Pool,
  deskId: string,
  after: string,
  most: number,
): Promise<ConversionFact[]> {
  const { rows } = await pool.query<ConversionFact>(
    `SELECT ${CONVERSION} FROM conversions c ${OPEN_DAY} WHERE c.desk_id = $1 AND c.id > $2 AND NOT c.is_test ORDER BY c.id LIMIT $3`,
    [deskId, after, most],
  );
  return rows;
}

/** Up to when a streaming replica has everything, in ms since 1970; null: up to now. */
export async function replayedTo(replica: Pool): Promise<number | null> {
  const { rows } = await replica.query<{ ms: number | null }>(
    `SELECT CASE WHEN NOT pg_is_in_recovery()
         OR pg_last_wal_receive_lsn() = pg_last_wal_replay_lsn() AND EXISTS (SELECT FROM pg_stat_wal_receiver) THEN NULL
       ELSE coalesce((extract(epoch FROM pg_last_xact_replay_timestamp()) * 1000)::float8, 0) END AS ms`,
  );
  return rows[0]!.ms;
}

/** Whether one is a replica of the other, or has been: the time line may be another by now. */
export async function isReplicaOf(replica: Pool, primary: Pool): Promise<boolean> {
  const [a, b] = [await databaseName(replica), await databaseName(primary)];
  const plain = (name: string): string => name.split('/').toSpliced(1, 1).join('/');
  return plain(a) === plain(b);
}

/** Which database this is: transactions of another cluster, another time line or a restored backup are counted anew. */
export async function databaseName(pool: Pool): Promise<string> {
  const { rows } = await pool.query<{ name: string }>(
    `SELECT concat_ws('/', s.system_identifier, c.timeline_id, d.oid, 'feed_batches'::regclass::oid) AS name
     FROM pg_control_system() s, pg_control_checkpoint() c, pg_database d WHERE d.datname = current_database()`,
  );
  return rows[0]!.name;
}
