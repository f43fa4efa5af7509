/**
 * The statements behind the writers: one `insert … select from unnest … on conflict do nothing` per batch. The
 * same statements load the demo desk. Throws what PostgreSQL throws; the writer decides what that means.
 */
import type { Pool, PoolClient } from 'pg';
import { inTransaction } from '../db/pools.ts';
import type { ReceiptRecord, VisitRecord } from './rows.ts';

const day = (ms: number): string => new Date(ms).toISOString().slice(0, 10);

/** Column, its array type, and its value in a row. */
type Column<T> = [name: string, type: string, value: (row: T) => unknown];

const visitColumns: Column<VisitRecord>[] = [
  ['desk_id', 'text', (v) => v.deskId],
  ['day', 'date', (v) => day(v.atMs)],
  ['id', 'text', (v) => v.id],
  ['at', 'timestamptz', (v) => new Date(v.atMs).toISOString()],
  ['campaign_id', 'text', (v) => v.campaignId],
  ['campaign_version', 'int', (v) => v.campaignVersion],
  ['source_id', 'text', (v) => v.sourceId],
  ['branch', 'text', (v) => v.branch],
  ['offer_id', 'text', (v) => v.offerId],
  ['offer_version', 'int', (v) => v.offerVersion],
  ['network_id', 'text', (v) => v.networkId],
  ['country', 'text', (v) => v.country],
  ['region', 'text', (v) => v.region],
  ['city', 'text', (v) => v.city],
  ['isp', 'text', (v) => v.isp],
  ['connection', 'text', (v) => v.connection],
  ['language', 'text', (v) => v.language],
  ['device', 'text', (v) => v.device],
  ['device_model', 'text', (v) => v.deviceModel],
  ['os', 'text', (v) => v.os],
  ['os_version', 'text', (v) => v.osVersion],
  ['browser', 'text', (v) => v.browser],
  ['browser_version', 'text', (v) => v.browserVersion],
  ['referrer_host', 'text', (v) => v.referrerHost],
  ['is_bot', 'bool', (v) => v.isBot],
  ['is_repeat', 'bool', (v) => v.isRepeat],
  ['is_unique', 'bool', (v) => v.isUnique],
  ['is_test', 'bool', (v) => v.isTest],
  ['guessed', 'bool', (v) => v.guessed],
  ['visitor_hash', 'text', (v) => v.visitorHash],
  ['cost_micros', 'int8', (v) => v.costMicros?.toString() ?? null],
  ['cost_currency', 'text', (v) => v.costCurrency],
  ['source_click_id', 'text', (v) => v.sourceClickId],
  ['subs', 'jsonb', (v) => JSON.stringify(v.subs)],
  ['notes', 'jsonb', (v) => JSON.stringify(v.notes)],
  ['raw_query', 'text', (v) => v.rawQuery],
  ['address_prefix', 'text', (v) => v.addressPrefix],
];
const addressColumns: Column<VisitRecord>[] = [
  ['desk_id', 'text', (v) => v.deskId],
  ['day', 'date', (v) => day(v.atMs)],
  ['visit_id', 'text', (v) => v.id],
  ['address', 'text', (v) => v.address],
  ['user_agent', 'text', (v) => v.userAgent],
];
const receiptColumns: Column<ReceiptRecord>[] = [
  ['desk_id', 'text', (r) => r.deskId],
  ['day', 'date', (r) => day(r.receivedMs)],
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
];

function statement<T>(
  table: string,
  columns: Column<T>[],
): (rows: readonly T[]) => { name: string; text: string; values: unknown[][] } {
  const names = columns.map(([n]) => n).join(', ');
  const arrays = columns.map(([, type], i) => `$${i + 1}::${type}[]`).join(', ');
  const text = `INSERT INTO ${table} (${names}) SELECT * FROM unnest(${arrays}) ON CONFLICT DO NOTHING`;
  return (rows) => ({ name: `insert ${table}`, text, values: columns.map(([, , value]) => rows.map(value)) });
}
const insertVisits = statement('visits', visitColumns);
const insertAddresses = statement('visit_addresses', addressColumns);
const insertReceipts = statement('receipts', receiptColumns);

/** What can run a statement: a pool, or the connection of a transaction. */
type Runs = Pick<PoolClient, 'query'>;

export async function insertVisitRows(client: Runs, rows: readonly VisitRecord[]): Promise<void> {
  await client.query(insertVisits(rows));
  const addressed = rows.filter((r) => r.address !== '');
  if (addressed.length > 0) await client.query(insertAddresses(addressed));
}
export async function insertReceiptRows(client: Runs, rows: readonly ReceiptRecord[]): Promise<void> {
  await client.query(insertReceipts(rows));
}

export const commitVisits =
  (pool: Pool) =>
  (rows: readonly VisitRecord[]): Promise<void> =>
    inTransaction(pool, (client) => insertVisitRows(client, rows));

export const commitReceipts =
  (pool: Pool) =>
  (rows: readonly ReceiptRecord[]): Promise<void> =>
    insertReceiptRows(pool, rows);

/** A row that the database will never take, kept whole with the reason. Writing it twice keeps one. */
export async function quarantineRow(
  client: Runs,
  kind: 'visit' | 'receipt',
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
