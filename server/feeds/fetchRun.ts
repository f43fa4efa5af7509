/**
 * Fetches the pages of a run and puts their rows aside. Nothing counts before the last page has come; then the run says what
 * the set is: an estimate or a final, complete or not, or one that a member has to confirm.
 */
import type { Pool } from 'pg';
import type { FeedInput } from '@tracheon/core/contract';
import {
  areFinal,
  costsOf,
  entriesOf,
  FeedProblem,
  needsConfirmation,
  type FeedEntry,
  type FeedPage,
} from '@tracheon/core/feeds';
import { formatAmount } from '@tracheon/core/money';
import { dayStart, shiftDay } from '@tracheon/core/time';
import { campaignNames, sourceTerms } from '../costs/costStore.ts';
import { inEventTransaction, type Reads } from '../db/pools.ts';
import { openSecrets } from '../secrets/secretStore.ts';
import type { FeedRow, FeedRunRow } from './feedStore.ts';
import { fetchDay } from './fetchDay.ts';
import { FeedLater, type Outgoing } from './providerAccess.ts';

const DAY_MS = 86_400_000;
/** Waited for a report while the lease lasts; later is another try. */
const REPORT_PATIENCE_MS = 20_000;
const NAMED = 3;

export interface FetchDeps {
  pool: Pool;
  serverSecret: string;
  out: Outgoing;
  now: () => number;
  signal: AbortSignal;
  lease: string;
  /** Within a transaction: throws when the run is somebody else's by now. */
  fence: (client: Reads) => Promise<void>;
}
const MANY_ROWS = 5000;
const rowsWords = (n: number): string => (n === 1 ? '1 row' : `${n} rows`);

/** What the pages so far have told. */
interface Heard {
  rows: number;
  put: number;
  amount: bigint;
  count: number | null;
  sum: bigint | null;
  isFinal: boolean | null;
  withoutKey: { rows: number; amount: bigint };
  unknown: Map<string, bigint>;
}

/** Returns the run as it is then: `fetched`, or `waiting`. Null: the run is somebody else's by now. */
export async function fetchRun(deps: FetchDeps, feed: FeedRow, run: FeedRunRow): Promise<FeedRunRow | null> {
  const asOf = deps.now();
  await deps.pool.query('DELETE FROM feed_rows WHERE run_id = $1', [run.id]);
  const read = await readerOf(deps.pool, feed);
  const heard: Heard = {
    rows: 0,
    put: 0,
    amount: 0n,
    count: null,
    sum: null,
    isFinal: null,
    withoutKey: { rows: 0, amount: 0n },
    unknown: new Map(),
  };
  for await (const page of pagesOf(deps, feed, run)) {
    const entries = hear(feed.body, heard, page, read);
    await putAside(deps, run.id, entries, heard.put);
    heard.put += entries.length;
  }
  // Planned as the few rows of a run that nobody has looked at yet, each part would sort all that are left.
  if (heard.put > MANY_ROWS) await deps.pool.query('ANALYZE feed_rows');
  return conclude(deps, feed, run, heard, asOf);
}

async function* pagesOf(deps: FetchDeps, feed: FeedRow, run: FeedRunRow): AsyncGenerator<FeedPage> {
  const { pool, out, signal } = deps;
  const keep = async (reportId: string): Promise<void> => {
    await pool.query('UPDATE feed_runs SET report_id = $3, ordered_at = $4 WHERE id = $1 AND lease = $2', [
      run.id,
      deps.lease,
      reportId,
      new Date(deps.now()),
    ]);
  };
  yield* fetchDay(feed.body, await secretOf(deps, feed), run.day, {
    out,
    signal,
    ordered: { reportId: run.report_id, keep, patienceMs: REPORT_PATIENCE_MS },
  });
}

type Read = (rows: readonly unknown[], heard: Heard) => { entries: FeedEntry[]; sum: bigint };

async function readerOf(pool: Pool, { desk_id: deskId, source_id: sourceId, body }: FeedRow): Promise<Read> {
  if (body.gives === 'revenue')
    return (rows, heard) => {
      const { withoutKey, ...read } = entriesOf(body, rows);
      heard.withoutKey.rows += withoutKey.rows;
      heard.withoutKey.amount += withoutKey.amount;
      return read;
    };
  const { currency } = await sourceTerms(pool, deskId, sourceId!);
  if (currency !== body.currency)
    throw new FeedProblem(`The source bills in ${currency}, but this feed is in ${body.currency}.`);
  const campaigns = await campaignNames(pool, deskId, sourceId!);
  return (rows, heard) => {
    const { unknown, ...read } = costsOf(body, rows, campaigns);
    for (const { name, amount } of unknown) heard.unknown.set(name, (heard.unknown.get(name) ?? 0n) + amount);
    return read;
  };
}

function hear(feed: FeedInput, heard: Heard, page: FeedPage, read: Read): FeedEntry[] {
  const { entries, sum } = read(page.rows, heard);
  heard.rows += page.rows.length;
  heard.amount += sum;
  heard.count = page.statedCount ?? heard.count;
  heard.sum = page.statedSum ?? heard.sum;
  // The last page of numbered ones is empty, and says nothing of itself.
  if (page.rows.length > 0 || heard.isFinal === null)
    heard.isFinal = heard.isFinal !== false && (page.isFinal || areFinal(feed, page.rows));
  return entries;
}

async function conclude(
  deps: FetchDeps,
  feed: FeedRow,
  run: FeedRunRow,
  heard: Heard,
  asOf: number,
): Promise<FeedRunRow | null> {
  const { body } = feed;
  const isComplete =
    (heard.count ?? heard.rows) === heard.rows && (heard.sum ?? heard.amount) === heard.amount;
  const isFinal =
    body.finals === 'age'
      ? asOf >= dayStart(shiftDay(run.day, 1), body.zone || 'UTC') + body.finalAfterDays * DAY_MS
      : body.finals === 'field' && heard.isFinal === true;
  if (isFinal && !isComplete)
    throw new FeedLater(
      `The provider sent ${rowsWords(heard.rows)} with ${formatAmount(heard.amount)}, but states ${rowsWords(heard.count ?? heard.rows)} with ${formatAmount(heard.sum ?? heard.amount)}. A final counts only as a whole.`,
      null,
    );
  // Estimates of revenue are remembered by click ID, so that what one leaves out is not lost; entries of cost are replaced.
  const waits = (isFinal || body.gives === 'cost') && (await isShrunken(deps.pool, feed, run, isFinal));
  const { rows } = await deps.pool.query<FeedRunRow>(
    `UPDATE feed_runs SET state = $3, as_of = $4, is_final = $5, is_complete = $6, rows = $7, amount_micros = $8, stated_micros = $9,
       problem = $10, notes = $11, ended_at = CASE WHEN $3 = 'waiting' THEN now() END WHERE id = $1 AND lease = $2 RETURNING *, day::text AS day`,
    [
      run.id,
      deps.lease,
      waits ? 'waiting' : 'fetched',
      new Date(asOf),
      isFinal,
      isComplete,
      heard.rows,
      String(heard.amount),
      heard.sum === null ? null : String(heard.sum),
      waits
        ? `This ${isFinal ? 'final' : 'report'} is empty, or has less than half of the estimates. Confirm it if it is right.`
        : '',
      notesOf(body, heard),
    ],
  );
  return rows[0] ?? null;
}

/** Rows that book nothing, in words. */
function notesOf({ currency }: FeedInput, { withoutKey, unknown }: Heard): string {
  if (withoutKey.rows > 0)
    return `${rowsWords(withoutKey.rows)} with ${formatAmount(withoutKey.amount)} ${currency} ${withoutKey.rows === 1 ? 'has' : 'have'} no click ID.`;
  if (unknown.size === 0) return '';
  const names = [...unknown.keys()].slice(0, NAMED).map((name) => `“${name.slice(0, 60)}”`);
  const more = unknown.size > NAMED ? ` and ${unknown.size - NAMED} more` : '';
  const sum = [...unknown.values()].reduce((all, one) => all + one, 0n);
  return `${formatAmount(sum)} ${currency} is not booked: this source has no campaign ${names.join(', ')}${more}.`;
}

async function secretOf({ pool, serverSecret }: FetchDeps, feed: FeedRow): Promise<string> {
  const { desk_id: deskId, secret_id: id } = feed;
  if (id === '') return '';
  const value = (await openSecrets(pool, serverSecret, deskId, [id])).get(id);
  if (value === undefined) throw new FeedProblem('The key can’t be read any more. Enter it again.');
  return value;
}

function putAside(
  { pool, fence }: FetchDeps,
  runId: string,
  entries: readonly FeedEntry[],
  from: number,
): Promise<void> {
  return inEventTransaction(pool, async (client) => {
    await fence(client);
    await client.query(
      `INSERT INTO feed_rows (run_id, n, key, event_type_id, amount_micros, currency)
       SELECT $1, n, key, type, micros, currency FROM unnest($2::int[], $3::text[], $4::text[], $5::bigint[], $6::text[]) AS r (n, key, type, micros, currency)`,
      [
        runId,
        entries.map((_, i) => from + i),
        entries.map((e) => e.key),
        entries.map((e) => e.eventTypeId),
        entries.map((e) => String(e.amount)),
        entries.map((e) => e.currency),
      ],
    );
  });
}

/** Compared with what stands of the day's estimates. A day on which nothing was billed yet is no loss. */
async function isShrunken(
  pool: Pool,
  { id, body }: FeedRow,
  run: FeedRunRow,
  isFinal: boolean,
): Promise<boolean> {
  const sums = async (sql: string, values: unknown[]): Promise<FeedEntry[]> => {
    const { rows } = await pool.query<{ currency: string; amount: string }>(sql, values);
    return rows.map((r) => ({ key: '', eventTypeId: '', currency: r.currency, amount: BigInt(r.amount) }));
  };
  const estimated = await sums(
    body.gives === 'revenue'
      ? `SELECT estimate->>'currency' AS currency, sum((estimate->>'amount')::bigint)::text AS amount FROM feed_keys
         WHERE feed_id = $1 AND day = $2 AND estimate IS NOT NULL GROUP BY 1`
      : `SELECT e.currency, sum(e.amount_micros)::text AS amount FROM cost_entries e JOIN cost_loads l ON l.id = e.load_id
         WHERE l.feed_id = $1 AND l.feed_day = $2 AND l.state = 'done' AND NOT l.feed_final GROUP BY 1`,
    [id, run.day],
  );
  if (!isFinal && estimated.length === 0) return false;
  const now = await sums(
    'SELECT currency, sum(amount_micros)::text AS amount FROM feed_rows WHERE run_id = $1 GROUP BY 1',
    [run.id],
  );
  return needsConfirmation(now, estimated);
}
