/**
 * A statement's rows beside what is booked, some at a time; at the end the conversions that the file lacks. Nothing is booked.
 * A step that is done again writes the same lines.
 */
import type { Pool } from 'pg';
import { DateTime } from 'luxon';
import type { LineKind } from '@tracheon/core/contract';
import { compareLine, type StatementSide } from '@tracheon/core/statements';
import { reasonSentence, type PostbackReading } from '@tracheon/core/conversions';
import { localDay, shiftDay } from '@tracheon/core/time';
import type { Reads } from '../db/pools.ts';
import { fileReceipt, type FileRow } from '../imports/importRun.ts';
import type { FileSettings } from '../imports/importStore.ts';
import { databaseJson } from '../db/databaseJson.ts';
import { loadReaders } from '../intake/ownerContext.ts';
import { readReceipt } from '../intake/readReceipt.ts';
import { carriedOwner } from '../intake/otherOwners.ts';
import type { BatchRow } from '../repairs/batches.ts';
import type { StepDone } from '../repairs/batchRuns.ts';

const ROWS_AT_ONCE = 500;
const MAX_CANDIDATES = 5;

export interface StatementFile extends FileSettings {
  /** Days, both inclusive, in the statement's zone; empty: as its rows say. */
  from: string;
  to: string;
}

/** One row of `statement_lines`, as JSON. */
interface Line {
  batch_id: string;
  key: string;
  desk_id: string;
  n: number | null;
  kind: LineKind;
  conversion_id: string;
  click_id: string;
  transaction: string;
  at: string | null;
  /** The file says when. */
  is_dated: boolean;
  theirs_status: string | null;
  theirs_micros: string | null;
  theirs_currency: string | null;
  ours_status: string | null;
  ours_micros: string | null;
  ours_currency: string | null;
  why: string;
}

interface Ours {
  n: number;
  id: string;
  click_id: string;
  transaction: string;
  event_type_id: string;
  status: StatementSide['status'];
  payout_micros: string;
  currency: string;
  converted_at: Date;
}

interface Read {
  row: FileRow;
  reading: PostbackReading | null;
  why: string;
}

export async function compareRows(pool: Pool, batch: BatchRow): Promise<StepDone> {
  const after = Number(batch.cursor || 0);
  const { rows } = await pool.query<FileRow>(
    `SELECT n, cells, receipt_id FROM import_rows WHERE batch_id = $1 AND n > $2 ORDER BY n LIMIT ${ROWS_AT_ONCE}`,
    [batch.id, after],
  );
  if (rows.length > 0) await keepLines(pool, await linesOf(pool, batch, rows));
  const isOver = rows.length < ROWS_AT_ONCE;
  if (isOver) await addMissingThere(pool, batch);
  return { cursor: String(rows.at(-1)?.n ?? after), handled: rows.length, isOver };
}

async function linesOf(pool: Pool, batch: BatchRow, rows: readonly FileRow[]): Promise<Line[]> {
  const read = await readRows(pool, batch, rows);
  const found = await candidates(pool, batch, read);
  const taken = await takenBefore(pool, batch, rows[0]!.n, [...found.values()].flat());
  return read.map((one) => lineOf(batch, one, found.get(one.row.n) ?? [], taken));
}

async function readRows(pool: Pool, batch: BatchRow, rows: readonly FileRow[]): Promise<Read[]> {
  const receipts = rows.map((row) => fileReceipt(batch, row, Date.now()).receipt);
  // All of them are read alike.
  const reader = (await loadReaders(pool, [receipts[0]!])).get(receipts[0]!.id)!;
  return rows.map((row, i) => {
    const read = readReceipt(receipts[i]!, reader);
    return read.ok
      ? { row, reading: read.reading, why: '' }
      : { row, reading: null, why: reasonSentence(read.reason, read.detail) };
  });
}

/** Conversions of this network that a row may be about: by the transaction; where it has none, by the click ID. */
async function candidates(pool: Pool, batch: BatchRow, read: readonly Read[]): Promise<Map<number, Ours[]>> {
  const wanted = read.filter((r) => r.reading !== null);
  const { rows } = await pool.query<Ours>(
    `SELECT k.n, c.* FROM unnest($3::int[], $4::text[], $5::text[]) AS k (n, txn, click)
     CROSS JOIN LATERAL (
       (SELECT ${OURS} FROM conversions WHERE k.txn <> '' AND desk_id = $1 AND network_id = $2 AND transaction = k.txn
          AND transaction <> '' AND NOT is_test LIMIT ${MAX_CANDIDATES})
       UNION ALL
       (SELECT ${OURS} FROM conversions WHERE k.click <> '' AND desk_id = $1 AND owner = k.click AND network_id = $2
          AND (k.txn = '' OR transaction = '') AND NOT is_test LIMIT ${MAX_CANDIDATES})) c`,
    [
      batch.desk_id,
      batch.network_id,
      wanted.map((r) => r.row.n),
      wanted.map((r) => r.reading!.transaction),
      wanted.map((r) => ownerBy(r.reading!)),
    ],
  );
  const found = new Map<number, Ours[]>();
  for (const row of rows) found.set(row.n, [...(found.get(row.n) ?? []), row]);
  return found;
}
/** As conversions name their owner; a click ID that is none of ours may have been carried over. */
const ownerBy = ({ clickId, clickIdText }: PostbackReading): string =>
  clickId ?? (clickIdText === '' ? '' : carriedOwner(clickIdText));
const OURS = 'id, click_id, transaction, event_type_id, status, payout_micros, currency, converted_at';

/** Conversions that earlier rows of the file are about, with the row. */
async function takenBefore(
  pool: Pool,
  batch: BatchRow,
  firstN: number,
  ours: readonly Ours[],
): Promise<Map<string, number>> {
  const { rows } = await pool.query<{ id: string; n: number }>(
    `SELECT conversion_id AS id, min(n) AS n FROM statement_lines
     WHERE batch_id = $1 AND conversion_id = ANY ($2) AND conversion_id <> '' AND n < $3 GROUP BY 1`,
    [batch.id, [...new Set(ours.map((o) => o.id))], firstN],
  );
  return new Map(rows.map((r) => [r.id, r.n]));
}

function lineOf(batch: BatchRow, { row, reading, why }: Read, all: Ours[], taken: Map<string, number>): Line {
  const base = {
    ...emptyLine,
    batch_id: batch.id,
    key: `r${String(row.n).padStart(7, '0')}`,
    desk_id: batch.desk_id,
    n: row.n,
  };
  if (reading === null) return { ...base, kind: 'unreadable', why };
  const said = {
    ...base,
    click_id: reading.clickId ?? reading.clickIdText,
    transaction: reading.transaction,
    at: reading.conversionTime === null ? null : new Date(reading.conversionTime).toISOString(),
    is_dated: reading.conversionTime !== null,
    theirs_status: reading.status,
    theirs_micros: reading.payout?.toString() ?? null,
    theirs_currency: reading.currency ?? '',
  };
  const meant = meantBy(reading, all);
  if (meant === 'several')
    return {
      ...said,
      kind: 'unreadable',
      why: 'Several of our conversions match this row. Add a column with the transaction.',
    };
  const theirs = { status: reading.status, micros: reading.payout, currency: reading.currency ?? '' };
  if (meant === null) return { ...said, kind: compareLine(theirs, null) };
  const ours = { status: meant.status, micros: BigInt(meant.payout_micros), currency: meant.currency };
  const before = taken.get(meant.id);
  taken.set(meant.id, before ?? row.n);
  return {
    ...said,
    kind: before === undefined ? compareLine(theirs, ours) : 'repeated',
    why: before === undefined ? '' : `Row ${before} is about the same conversion.`,
    conversion_id: meant.id,
    click_id: meant.click_id,
    transaction: said.transaction || meant.transaction,
    at: said.at ?? meant.converted_at.toISOString(),
    ...oursOf(meant),
  };
}

/** Of the event that is told, where one is told. */
function meantBy(
  { transaction, isEventTold, eventTypeId }: PostbackReading,
  all: readonly Ours[],
): Ours | 'several' | null {
  const byTransaction = all.filter((o) => transaction !== '' && o.transaction === transaction);
  const near = byTransaction.length > 0 ? byTransaction : all;
  const ofEvent = isEventTold ? near.filter((o) => o.event_type_id === eventTypeId) : near;
  const ids = new Set(ofEvent.map((o) => o.id));
  return ids.size > 1 ? 'several' : (ofEvent[0] ?? null);
}

const oursOf = (o: Pick<Ours, 'status' | 'payout_micros' | 'currency'>) => ({
  ours_status: o.status,
  ours_micros: o.payout_micros,
  ours_currency: o.currency,
});

const emptyLine = {
  conversion_id: '',
  click_id: '',
  transaction: '',
  at: null,
  is_dated: false,
  theirs_status: null,
  theirs_micros: null,
  theirs_currency: null,
  ours_status: null,
  ours_micros: null,
  ours_currency: null,
  why: '',
};

const COLUMNS = `batch_id text, key text, desk_id text, n integer, kind text, conversion_id text, click_id text, transaction text,
  at timestamptz, is_dated boolean, theirs_status text, theirs_micros bigint, theirs_currency text, ours_status text, ours_micros bigint,
  ours_currency text, why text`;
const NAMES = COLUMNS.split(',')
  .map((c) => c.trim().split(' ')[0])
  .join(', ');

const keepLines = (client: Reads, lines: readonly Line[]): Promise<unknown> =>
  client.query(
    `INSERT INTO statement_lines (${NAMES}) SELECT r.* FROM json_to_recordset($1::json) AS r (${COLUMNS})
     ON CONFLICT (batch_id, key) DO NOTHING`,
    [databaseJson(lines)],
  );

/** Approved ones of the statement's days that none of its rows is about. A file without dates, and no days chosen: none. */
async function addMissingThere(pool: Pool, batch: BatchRow): Promise<void> {
  const settings = batch.settings as StatementFile;
  const zone = settings.zone || 'UTC';
  const { from, to } = await daysOf(pool, batch, settings, zone);
  if (from === '' || to === '') return;
  await pool.query(`UPDATE receipt_batches SET settings = settings || $2::jsonb WHERE id = $1`, [
    batch.id,
    JSON.stringify({ from, to }),
  ]);
  await pool.query(
    `INSERT INTO statement_lines (batch_id, key, desk_id, kind, conversion_id, click_id, transaction, at, ours_status, ours_micros, ours_currency)
     SELECT $1, 'c' || c.id, c.desk_id, 'missing_there', c.id, c.click_id, c.transaction, c.converted_at, c.status, c.payout_micros, c.currency
     FROM conversions c WHERE c.desk_id = $2 AND c.network_id = $3 AND c.converted_at >= $4 AND c.converted_at < $5
       AND c.status = 'approved' AND NOT c.is_test
       AND NOT EXISTS (SELECT 1 FROM statement_lines l WHERE l.batch_id = $1 AND l.conversion_id = c.id AND l.conversion_id <> '')
     ON CONFLICT (batch_id, key) DO NOTHING`,
    [batch.id, batch.desk_id, batch.network_id, startOf(from, zone), startOf(shiftDay(to, 1), zone)],
  );
}

const startOf = (day: string, zone: string): Date => DateTime.fromISO(day, { zone }).toJSDate();

async function daysOf(
  pool: Pool,
  batch: BatchRow,
  { from, to }: StatementFile,
  zone: string,
): Promise<{ from: string; to: string }> {
  if (from !== '' && to !== '') return { from, to };
  const { rows } = await pool.query<{ first: Date | null; last: Date | null }>(
    `SELECT min(at) AS first, max(at) AS last FROM statement_lines WHERE batch_id = $1 AND is_dated`,
    [batch.id],
  );
  const [{ first, last }] = rows as [{ first: Date | null; last: Date | null }];
  return {
    from: from || (first ? localDay(first.getTime(), zone) : ''),
    to: to || (last ? localDay(last.getTime(), zone) : ''),
  };
}
