/**
 * The statements behind the writers. A batch that is written the first time goes by COPY; one that may be there already
 * (from a spool, or after an outcome that nobody knows) by `insert … select from unnest … on conflict do nothing`.
 * Throws what PostgreSQL throws; the writer decides what that means.
 */
import type { Pool } from 'pg';
import { clickIdDay, clickIdTime } from '@tracheon/core/identity';
import { writtenColumns } from '@tracheon/core/visits';
import { isRefusal } from './eventWriter.ts';
import type { Reads } from '../db/pools.ts';
import { ensureDays } from '../db/partitions.ts';
import { copyLine, copyRows, copyText, type Copy } from '../db/copyRows.ts';
import { visitLine } from './copyVisits.ts';
import type { ClickRecord, ReceiptRecord, VisitRecord } from './rows.ts';

const DAY_MS = 86_400_000;
/** The day under which a row lies is that of its ID, whatever the clock said since; rows mostly have that of the one before. */
let known = { number: -1, day: '' };
function day(id: string): string {
  const number = Math.floor(clickIdTime(id) / DAY_MS);
  if (number !== known.number) known = { number, day: clickIdDay(id) };
  return known.day;
}

/** Column, its array type, and its value in a row: text, or null. */
type Column<T> = [name: string, type: string, value: (row: T) => string | null];
const bool = (value: boolean): string => (value ? 't' : 'f');

const visitColumns: Column<VisitRecord>[] = [['day', 'date', (v) => day(v.id)], ...writtenColumns];
/** Addresses lie apart; their statement has desk, day and ID from the visit's own columns. */
const addressColumns: Column<VisitRecord>[] = [
  ['address', 'text', (v) => v.address],
  ['user_agent', 'text', (v) => v.userAgent],
];
const clickColumns: Column<ClickRecord>[] = [
  ['desk_id', 'text', (c) => c.deskId],
  // The visit's day, so that a visit and its clicks lie, and are dropped, together.
  ['day', 'date', (c) => day(c.visitId)],
  ['visit_id', 'text', (c) => c.visitId],
  ['n', 'int2', (c) => String(c.n)],
  ['id', 'text', (c) => c.id],
  ['at', 'timestamptz', (c) => new Date(c.atMs).toISOString()],
  ['landing_id', 'text', (c) => c.landingId],
  ['offer_id', 'text', (c) => c.offerId],
  ['told', 'text', (c) => c.told],
  ['match', 'text', (c) => c.match],
];
const receiptColumns: Column<ReceiptRecord>[] = [
  ['desk_id', 'text', (r) => r.deskId],
  ['day', 'date', (r) => day(r.id)],
  ['id', 'text', (r) => r.id],
  ['received_at', 'timestamptz', (r) => new Date(r.receivedMs).toISOString()],
  ['network_id', 'text', (r) => r.networkId],
  ['method', 'text', (r) => r.method],
  ['path', 'text', (r) => r.path],
  ['query', 'text', (r) => r.query],
  ['body', 'text', (r) => r.body],
  ['content_type', 'text', (r) => r.contentType],
  ['headers', 'jsonb', (r) => JSON.stringify(r.headers)],
  ['address_prefix', 'text', (r) => r.addressPrefix],
  ['held', 'bool', (r) => bool(r.held)],
  ['channel', 'text', (r) => r.channel],
  ['batch_id', 'text', (r) => r.batchId],
];

/**
 * A column's values as one array literal (PostgreSQL manual 8.15.2), written here since the driver's own way takes three
 * times as long: every value is quoted, and only what has a quote or backslash in it is escaped.
 */
export function arrayLiteral(values: readonly (string | null)[]): string {
  let out = '{';
  for (const [i, value] of values.entries()) {
    if (i > 0) out += ',';
    if (value === null) out += 'NULL';
    else if (value.includes('"') || value.includes('\\')) out += `"${value.replace(/["\\]/g, '\\$&')}"`;
    else out += `"${value}"`;
  }
  return `${out}}`;
}

type Statement<T> = (rows: readonly T[]) => { name: string; text: string; values: string[] };
const literals = <T>(columns: Column<T>[], rows: readonly T[]): string[] =>
  columns.map(([, , value]) => arrayLiteral(rows.map(value)));
const names = (columns: Column<never>[]): string => columns.map(([n]) => n).join(', ');
const arrays = (columns: Column<never>[], from = 1): string =>
  columns.map(([, type], i) => `$${i + from}::${type}[]`).join(', ');

/** Where the rows of a batch lie, told in the statement that writes them. */
const feedOf = (kind: 'visit' | 'click', rows: string, id: string): string =>
  `fed AS (INSERT INTO feed_batches (kind, desk_id, day, first_id, last_id)
    SELECT '${kind}', desk_id, day, min(${id} COLLATE "C"), max(${id} COLLATE "C") FROM ${rows} GROUP BY 2, 3)`;

function statement<T>(table: string, columns: Column<T>[], feed = ''): Statement<T> {
  const text = `WITH rows AS (SELECT * FROM unnest(${arrays(columns)}) AS r (${names(columns)}))${feed}
    INSERT INTO ${table} (${names(columns)}) SELECT * FROM rows ON CONFLICT DO NOTHING`;
  return (rows) => ({ name: `insert ${table}`, text, values: literals(columns, rows) });
}
const insertReceipts = statement('receipts', receiptColumns);
const insertClicks = statement('button_clicks', clickColumns, `, ${feedOf('click', 'rows', 'visit_id')}`);

/** Visit and address in one statement, so that a batch is one round trip and one transaction. */
const insertVisits: Statement<VisitRecord> = (() => {
  const from = visitColumns.length + 1;
  const text = `WITH rows AS (
      SELECT * FROM unnest(${arrays(visitColumns)}, ${arrays(addressColumns, from)})
        AS r (${names(visitColumns)}, ${names(addressColumns)})),
    ${feedOf('visit', 'rows', 'id')},
    visited AS (INSERT INTO visits (${names(visitColumns)}) SELECT ${names(visitColumns)} FROM rows ON CONFLICT DO NOTHING)
    INSERT INTO visit_addresses (desk_id, day, visit_id, ${names(addressColumns)})
    SELECT desk_id, day, id, ${names(addressColumns)} FROM rows WHERE address <> '' ON CONFLICT DO NOTHING`;
  const all = [...visitColumns, ...addressColumns];
  return (rows) => ({ name: 'insert visits', text, values: literals(all, rows) });
})();

/** What can run a statement: a pool, or the connection of a transaction. */
type Runs = Reads;

export async function insertVisitRows(client: Runs, rows: readonly VisitRecord[]): Promise<void> {
  await client.query(insertVisits(rows));
}
export async function insertReceiptRows(client: Runs, rows: readonly ReceiptRecord[]): Promise<void> {
  await client.query(insertReceipts(rows));
}

export async function insertClickRows(client: Runs, rows: readonly ClickRecord[]): Promise<void> {
  await client.query(insertClicks(rows));
}

const copyOf = <T>(table: string, columns: Column<T>[]) => {
  const text = `COPY ${table} (${names(columns)}) FROM STDIN`;
  return (rows: readonly T[]): Copy => ({
    text,
    data: rows.map((row) => copyLine(columns.map(([, , value]) => value(row)))).join(''),
  });
};
function copyVisits(rows: readonly VisitRecord[]): Copy {
  let data = '';
  for (const v of rows) data += visitLine(v, day(v.id));
  return { text: COPY_VISITS, data };
}
const COPY_VISITS = `COPY visits (${names(visitColumns)}) FROM STDIN`;
/** Written out like a visit's line, since each visit has one. */
function copyAddresses(rows: readonly VisitRecord[]): Copy {
  let data = '';
  for (const v of rows)
    if (v.address !== '')
      data += `${v.deskId}\t${day(v.id)}\t${v.id}\t${copyText(v.address)}\t${copyText(v.userAgent)}\n`;
  return { text: COPY_ADDRESSES, data };
}
const COPY_ADDRESSES = `COPY visit_addresses (desk_id, day, visit_id, ${names(addressColumns)}) FROM STDIN`;
/** One row for each desk and day: mostly one. */
function copyFeed<T extends { deskId: string }>(
  kind: 'visit' | 'click',
  rows: readonly T[],
  idOf: (row: T) => string,
): Copy {
  const found = new Map<string, [deskId: string, day: string, first: string, last: string]>();
  for (const row of rows) {
    const id = idOf(row);
    const on = day(id);
    const key = `${row.deskId}|${on}`;
    const of = found.get(key);
    if (!of) found.set(key, [row.deskId, on, id, id]);
    else if (id < of[2]) of[2] = id;
    else if (id > of[3]) of[3] = id;
  }
  return { text: COPY_FEED, data: [...found.values()].map((of) => copyLine([kind, ...of])).join('') };
}
const COPY_FEED = 'COPY feed_batches (kind, desk_id, day, first_id, last_id) FROM STDIN';
const copyReceipts = copyOf('receipts', receiptColumns);
const copyClicks = copyOf('button_clicks', clickColumns);

export const commitVisits = (pool: Pool): ((rows: readonly VisitRecord[]) => Promise<void>) =>
  firstTime(
    pool,
    (rows) => [copyVisits(rows), copyAddresses(rows), copyFeed('visit', rows, (r) => r.id)],
    insertVisitRows,
  );
export const commitReceipts = (pool: Pool): ((rows: readonly ReceiptRecord[]) => Promise<void>) =>
  firstTime(pool, (rows) => [copyReceipts(rows)], insertReceiptRows);

export const commitClicks = (pool: Pool): ((rows: readonly ClickRecord[]) => Promise<void>) =>
  firstTime(pool, (rows) => [copyClicks(rows), copyFeed('click', rows, (r) => r.visitId)], insertClickRows);

const UNIQUE_VIOLATION = '23505';
const CHECK_VIOLATION = '23514';
/** More days than these in one batch come from no clock that was set right or wrong. */
const MAX_DAYS_MADE = 8;

/** A clock that was set may give IDs of days that nobody expected: their partitions are made when they are missing. */
async function makeDays(pool: Pool, rows: readonly { id: string; visitId?: string }[]): Promise<boolean> {
  const days = new Set(rows.map((r) => Math.floor(clickIdTime(r.visitId ?? r.id) / DAY_MS) * DAY_MS));
  return days.size <= MAX_DAYS_MADE && (await ensureDays(pool, days)) > 0;
}

function firstTime<T extends { id: string; visitId?: string }>(
  pool: Pool,
  copies: (rows: readonly T[]) => Copy[],
  insert: (client: Runs, rows: readonly T[]) => Promise<void>,
): (rows: readonly T[]) => Promise<void> {
  return async (rows) => {
    const client = await pool.connect();
    let broken: Error | undefined;
    try {
      await copyRows(client, copies(rows));
    } catch (error) {
      const code = (error as { code?: unknown }).code;
      // Some of them are there: not the first time after all.
      if (code === UNIQUE_VIOLATION)
        return await insert(client, rows).catch((e: unknown) => {
          broken = e as Error;
          throw e;
        });
      if (code === CHECK_VIOLATION && (await makeDays(pool, rows)))
        return await copyRows(client, copies(rows));
      // After a refusal the connection is as good as before.
      if (!isRefusal(error)) broken = error as Error;
      throw error;
    } finally {
      client.release(broken);
    }
  };
}

/** A row that the database will never take, kept whole with the reason. Writing it twice keeps one. */
export async function quarantineRow(
  client: Runs,
  kind: 'visit' | 'receipt' | 'click',
  row: { deskId: string; id: string },
  why: string,
): Promise<void> {
  // Escaped twice over, since what was refused may be a character that JSON of the database refuses, too.
  const text = JSON.stringify(row, (_key, value: unknown) =>
    typeof value === 'bigint' ? value.toString() : value,
  ).replaceAll('\\u0000', '\\ufffd');
  await client.query(
    `INSERT INTO quarantine (kind, id, desk_id, why, row) VALUES ($1, $2, $3, $4, $5) ON CONFLICT (kind, id) DO NOTHING`,
    [kind, row.id, row.deskId, why.slice(0, 500), text],
  );
}
