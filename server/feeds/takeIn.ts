/**
 * Takes the rows of a fetched run in: what is known of each click ID, and a receipt wherever that changes what stands. Keys
 * are worked through some at a time, each part in one transaction, so that a run that is killed goes on; taking a row in
 * twice changes nothing.
 */
import type { Pool } from 'pg';
import {
  dueOf,
  emptyRegister,
  latest,
  standingOfKey,
  takeIn,
  type FeedEntry,
  type KeyRegister,
  type Said,
  type SaidAmount,
  type Told,
} from '@tracheon/core/feeds';
import { clickIdTime, parseClickId } from '@tracheon/core/identity';
import { formatAmount } from '@tracheon/core/money';
import { dayStart } from '@tracheon/core/time';
import { ulidAt } from '../db/pooledUlid.ts';
import { inEventTransaction, type Reads } from '../db/pools.ts';
import { insertReceiptRows } from '../events/commitRows.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import type { FeedRow, FeedRunRow } from './feedStore.ts';
import { nextRows, ROWS_AT_ONCE, type RowName } from './runRows.ts';

const HALF_A_DAY_MS = 12 * 3_600_000;

interface KeyRow {
  event_type_id: string;
  key: string;
  estimate: StoredAmount | null;
  final: StoredAmount | null;
  had_amount: boolean;
  told: StoredTold | null;
  /** Of what was told last; empty: nothing was. */
  receipt_id: string;
}
/** Sums are text in JSON. */
type StoredAmount = Omit<SaidAmount, 'amount'> & { amount: string };
type StoredTold = Omit<Told, 'amount' | 'key' | 'eventTypeId'> & { amount: string };
const nameOf = (k: Pick<FeedEntry, 'key' | 'eventTypeId'>): string => `${k.eventTypeId}|${k.key}`;
const nameOfRow = (r: KeyRow): string => nameOf({ key: r.key, eventTypeId: r.event_type_id });
const stored = (said: SaidAmount | null): StoredAmount | null =>
  said && { ...said, amount: String(said.amount) };
const read = (said: StoredAmount | null): SaidAmount | null =>
  said && { ...said, amount: BigInt(said.amount) };

export interface TakesIn {
  pool: Pool;
  /** Throws when the run is somebody else's by now. */
  fence: (client: Reads) => Promise<void>;
  judge: (receipts: readonly ReceiptRecord[]) => Promise<void>;
  now: () => number;
}

/** Returns how many receipts it wrote. */
export async function takeInRun(by: TakesIn, feed: FeedRow, run: FeedRunRow): Promise<number> {
  const dayFinal = await noteFinal(by, feed, run);
  let told = 0;
  const work = async (
    next: (client: Reads, after: RowName | null) => Promise<FeedEntry[]>,
    isOfRun: boolean,
  ): Promise<void> => {
    // One part is judged while the next one is taken in.
    let judged: Promise<void> = Promise.resolve();
    try {
      for (let after: RowName | null = null; ;) {
        const { entries, receipts } = await inEventTransaction(by.pool, async (client) => {
          await by.fence(client);
          const some = await next(client, after);
          return {
            entries: some,
            receipts: await takePart(client, by, { feed, run, dayFinal, isOfRun }, some),
          };
        });
        await judged;
        if (entries.length === 0) return;
        judged = by.judge(receipts);
        // Looked at with the next part; meanwhile a failure must not count as nobody's.
        judged.catch(() => undefined);
        told += receipts.length;
        after = entries.at(-1)!;
      }
    } finally {
      await judged.catch(() => undefined);
    }
  };
  await work((client, after) => nextRows(client, run.id, after), true);
  // What a final does not name.
  if (dayFinal) await work((client, after) => nextUnnamed(client, feed.id, run.day, dayFinal, after), false);
  return told;
}

/** Which final is the latest of its day. */
async function noteFinal({ pool, fence }: TakesIn, feed: FeedRow, run: FeedRunRow): Promise<Said | null> {
  return inEventTransaction(pool, async (client) => {
    await fence(client);
    await client.query('INSERT INTO feed_days (feed_id, day) VALUES ($1, $2) ON CONFLICT DO NOTHING', [
      feed.id,
      run.day,
    ]);
    const { rows } = await client.query<{ final_as_of: Date | null; final_run: string }>(
      'SELECT final_as_of, final_run FROM feed_days WHERE feed_id = $1 AND day = $2 FOR UPDATE',
      [feed.id, run.day],
    );
    const { final_as_of: asOf, final_run: setId } = rows[0]!;
    const before = asOf && { asOf: asOf.getTime(), setId };
    if (!run.is_final) return before;
    const now = latest(before, { asOf: run.as_of.getTime(), setId: run.id });
    await client.query(
      'UPDATE feed_days SET final_as_of = $3, final_run = $4 WHERE feed_id = $1 AND day = $2',
      [feed.id, run.day, new Date(now.asOf), now.setId],
    );
    return now;
  });
}

async function nextUnnamed(
  client: Reads,
  feedId: string,
  day: string,
  dayFinal: Said,
  after: RowName | null,
): Promise<FeedEntry[]> {
  const { rows } = await client.query<{ key: string; event_type_id: string }>(
    `SELECT key, event_type_id FROM feed_keys WHERE feed_id = $1 AND day = $2 AND final->>'setId' IS DISTINCT FROM $3
       ${after ? 'AND (event_type_id, key) > ($4, $5)' : ''} ORDER BY event_type_id, key LIMIT ${ROWS_AT_ONCE}`,
    [feedId, day, dayFinal.setId, ...(after ? [after.eventTypeId, after.key] : [])],
  );
  return rows.map((r) => ({ key: r.key, eventTypeId: r.event_type_id, amount: 0n, currency: '' }));
}

interface Part {
  feed: FeedRow;
  run: FeedRunRow;
  dayFinal: Said | null;
  /** The entries are the run's own; else they are only looked at again. */
  isOfRun: boolean;
}

async function takePart(
  client: Reads,
  { now }: TakesIn,
  { feed, run, dayFinal, isOfRun }: Part,
  entries: readonly FeedEntry[],
): Promise<ReceiptRecord[]> {
  if (entries.length === 0) return [];
  const { rows } = await client.query<KeyRow>(
    `SELECT k.event_type_id, k.key, k.estimate, k.final, k.had_amount, k.told, k.receipt_id
     FROM unnest($3::text[], $4::text[]) AS e (type, key)
     CROSS JOIN LATERAL (SELECT * FROM feed_keys WHERE feed_id = $1 AND day = $2 AND event_type_id = e.type AND key = e.key FOR UPDATE) k`,
    [feed.id, run.day, entries.map((e) => e.eventTypeId), entries.map((e) => e.key)],
  );
  const there = new Map(rows.map((r) => [nameOfRow(r), r]));
  const set = { id: run.id, asOf: run.as_of.getTime(), isFinal: run.is_final };
  const registers = entries.map((entry): KeyRegister => {
    const row = there.get(nameOf(entry));
    const before: KeyRegister = row
      ? {
          key: entry.key,
          eventTypeId: entry.eventTypeId,
          estimate: read(row.estimate),
          final: read(row.final),
          hadAmount: row.had_amount,
        }
      : emptyRegister(entry);
    return isOfRun ? takeIn(before, set, entry) : before;
  });
  const told = rows.flatMap((r) =>
    r.told ? [{ ...r.told, amount: BigInt(r.told.amount), key: r.key, eventTypeId: r.event_type_id }] : [],
  );
  const standing = registers.flatMap((r) => standingOfKey(r, dayFinal, feed.body.estimates) ?? []);
  const due = dueOf(standing, told);
  const receipts = due.map((t) => receiptOf(feed, run, t, now()));
  await insertReceiptRows(client, receipts);
  await store(client, feed, run, registers, due, receipts);
  if (run.is_final && isOfRun) await noteConfirmed(client, feed, rows, due);
  return receipts;
}

async function store(
  client: Reads,
  feed: FeedRow,
  run: FeedRunRow,
  registers: readonly KeyRegister[],
  due: readonly Told[],
  receipts: readonly ReceiptRecord[],
): Promise<void> {
  const told = new Map(due.map((t, i) => [nameOf(t), { told: toldJson(t), receiptId: receipts[i]!.id }]));
  await client.query(
    `INSERT INTO feed_keys (feed_id, day, event_type_id, key, estimate, final, had_amount, told, receipt_id)
     SELECT $1, $2, r->>'eventTypeId', r->>'key', nullif(r->'estimate', 'null'), nullif(r->'final', 'null'), (r->>'hadAmount')::boolean,
       nullif(r->'told', 'null'), r->>'receiptId' FROM jsonb_array_elements($3::jsonb) AS r
     ON CONFLICT (feed_id, day, event_type_id, key) DO UPDATE SET estimate = excluded.estimate, final = excluded.final,
       had_amount = excluded.had_amount, told = coalesce(excluded.told, feed_keys.told),
       receipt_id = CASE WHEN excluded.told IS NULL THEN feed_keys.receipt_id ELSE excluded.receipt_id END`,
    [
      feed.id,
      run.day,
      JSON.stringify(
        registers.map((r) => ({
          eventTypeId: r.eventTypeId,
          key: r.key,
          estimate: stored(r.estimate),
          final: stored(r.final),
          hadAmount: r.hadAmount,
          told: told.get(nameOf(r))?.told ?? null,
          receiptId: told.get(nameOf(r))?.receiptId ?? '',
        })),
      ),
    ],
  );
}
const toldJson = ({ status, amount, currency, changedAt }: Told): StoredTold => ({
  status,
  amount: String(amount),
  currency,
  changedAt,
});

/** A final that says what its estimate said writes no receipt, but the amount is an estimate no more: the index has to look. */
async function noteConfirmed(
  client: Reads,
  { desk_id: deskId }: FeedRow,
  rows: readonly KeyRow[],
  due: readonly Told[],
): Promise<void> {
  const isTold = new Set(due.map(nameOf));
  const same = rows.filter((r) => r.final === null && r.receipt_id !== '' && !isTold.has(nameOfRow(r)));
  const days = same.map((r) => new Date(clickIdTime(parseClickId(r.key)!)).toISOString().slice(0, 10));
  if (same.length > 0)
    await client.query(
      `INSERT INTO fact_changes (desk_id, kind, subject_id, day)
       SELECT o.desk_id, 'conversion', o.conversion_id, s.day FROM unnest($2::text[], $3::date[]) AS s (receipt_id, day)
       JOIN outcomes o ON o.desk_id = $1 AND o.receipt_id = s.receipt_id AND o.conversion_id <> ''`,
      [deskId, same.map((r) => r.receipt_id), days],
    );
}

/** In our own names and words. The conversion is of the day's noon, but never before its visit, nor later than it was told. */
function receiptOf(feed: FeedRow, run: FeedRunRow, told: Told, nowMs: number): ReceiptRecord {
  const noon = dayStart(run.day, feed.body.zone || 'UTC') + HALF_A_DAY_MS;
  const clickId = parseClickId(told.key);
  const at = Math.min(clickId === null ? noon : Math.max(noon, clickIdTime(clickId)), nowMs);
  const query = new URLSearchParams({
    click_id: told.key,
    payout: formatAmount(told.amount),
    currency: told.currency,
    event: told.eventTypeId,
    status: told.status,
    transaction: `feed:${feed.id}:${run.day}`,
    conversion_time: new Date(at).toISOString(),
    changed_time: new Date(told.changedAt).toISOString(),
  });
  return {
    deskId: feed.desk_id,
    id: ulidAt(nowMs),
    receivedMs: nowMs,
    networkId: feed.network_id!,
    method: 'FEED',
    path: '',
    query: query.toString().replaceAll('+', '%20'),
    body: '',
    contentType: '',
    headers: {},
    addressPrefix: '',
    held: false,
    channel: 'feed',
    batchId: '',
  };
}
