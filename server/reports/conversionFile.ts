/**
 * GET /files/<source>-<secret>.csv: the conversions of the last days that a source is told of, for sources that fetch a file.
 * The secret is derived from the server's own and the source's key, so that nothing of it is stored. Sent in pieces: nothing
 * of it is held whole.
 */
import { once } from 'node:events';
import { createHmac, timingSafeEqual } from 'node:crypto';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { DateTime } from 'luxon';
import type { Pool } from 'pg';
import { FILE_DAYS, wholeBody, type FileField, type SourceInput } from '@tracheon/core/contract';
import { clickIdDay, parseClickId } from '@tracheon/core/identity';
import { convertBetween, formatAmount } from '@tracheon/core/money';
import { refuse } from '../capture/answers.ts';
import { Rates } from '../intake/rates.ts';

const ROWS_AT_ONCE = 2000;
const SECRET_LENGTH = 32;
const NAME = /^([0-9A-HJKMNP-TV-Z]{26})-([\w-]{32})\.csv$/i;

const secretOf = (serverSecret: string, sourceId: string, key: string): string =>
  createHmac('sha256', serverSecret)
    .update(`conversion file|${sourceId}|${key}`)
    .digest('base64url')
    .slice(0, SECRET_LENGTH);

/** Empty while the source has none. */
export const conversionFileUrl = (
  serverSecret: string,
  origin: string,
  source: { id: string; body: SourceInput },
): string =>
  source.body.fileKey === ''
    ? ''
    : `${origin}/files/${source.id}-${secretOf(serverSecret, source.id, source.body.fileKey)}.csv`;

export interface FileDeps {
  pool: Pool;
  serverSecret: string;
  /** Whoever searches for secrets is held off. */
  isHeldOff: (req: IncomingMessage) => boolean;
  onUnknown: (req: IncomingMessage) => void;
}

interface Wanted {
  id: string;
  deskId: string;
  zone: string;
  deskCurrency: string;
  deskZone: string;
  body: SourceInput;
}

export async function handleConversionFile(
  deps: FileDeps,
  req: IncomingMessage,
  res: ServerResponse,
  name: string,
): Promise<void> {
  if (req.method !== 'GET' && req.method !== 'HEAD')
    return refuse(res, 'method_not_allowed', { Allow: 'GET, HEAD' });
  if (deps.isHeldOff(req)) return refuse(res, 'too_many_tries', { 'Retry-After': '60' });
  const source = await wantedBy(deps, name);
  if (!source) {
    deps.onUnknown(req);
    return refuse(res, 'unknown_file');
  }
  res.writeHead(200, {
    'Content-Type': 'text/csv; charset=utf-8',
    'Cache-Control': 'no-store',
    'X-Content-Type-Options': 'nosniff',
    'Content-Disposition': 'attachment; filename="conversions.csv"',
  });
  if (req.method === 'HEAD') return void res.end();
  res.write(line(source.body.fileColumns.map((c) => c.name)));
  const rates = new Rates(deps.pool);
  let after = '';
  for (;;) {
    const rows = await nextRows(deps.pool, source, after);
    let text = '';
    for (const row of rows) text += line(await cellsOf(source, row, rates));
    if (text !== '' && !res.write(text)) await Promise.race([once(res, 'drain'), once(res, 'close')]);
    if (rows.length < ROWS_AT_ONCE || res.destroyed) return void res.end();
    after = rows.at(-1)!.id;
  }
}

async function wantedBy({ pool, serverSecret }: FileDeps, name: string): Promise<Wanted | null> {
  const match = NAME.exec(name.slice(0, 100));
  if (!match) return null;
  const { rows } = await pool.query<Wanted>(
    `SELECT p.id, p.desk_id AS "deskId", p.body, d.zone AS "deskZone", d.currency AS "deskCurrency"
     FROM parts p JOIN desks d ON d.id = p.desk_id WHERE p.id = $1 AND p.kind = 'source'`,
    [match[1]!.toUpperCase()],
  );
  if (!rows[0]) return null;
  const body = wholeBody('source', rows[0].body);
  const expected = Buffer.from(secretOf(serverSecret, rows[0].id, body.fileKey));
  const isRight = timingSafeEqual(expected, Buffer.from(match[2]!));
  if (body.fileKey === '' || !isRight) return null;
  return { ...rows[0], body, zone: body.zone || rows[0].deskZone };
}

interface Row {
  id: string;
  click_id: string;
  source_click_id: string;
  converted_at: Date;
  event: string;
  status: string;
  payout_micros: string;
  currency: string;
  transaction: string;
  campaign_name: string;
}

/** What the source is told of, as its rules are now; without its click ID it could do nothing with one. */
async function nextRows(pool: Pool, { id, deskId, body }: Wanted, after: string): Promise<Row[]> {
  const { rows } = await pool.query<Omit<Row, 'source_click_id'>>(
    `SELECT c.id, c.click_id, c.converted_at, e.body->>'word' AS event, c.status, c.payout_micros, c.currency, c.transaction,
       k.name AS campaign_name
     FROM conversions c JOIN parts e ON e.id = c.event_type_id JOIN parts k ON k.id = c.campaign_id
     WHERE c.desk_id = $1 AND c.source_id = $2 AND c.id > $3 AND c.converted_at > now() - make_interval(days => ${FILE_DAYS})
       AND NOT c.is_test AND c.reported IS DISTINCT FROM false AND c.status = ANY ($4)
       AND (cardinality($5::text[]) = 0 OR c.event_type_id = ANY ($5))
     ORDER BY c.id LIMIT ${ROWS_AT_ONCE}`,
    [deskId, id, after, body.reportStatuses, body.reportEvents],
  );
  if (rows.length === 0) return [];
  const ids = rows.map((r) => r.click_id);
  const ours = ids.filter((clickId) => parseClickId(clickId) !== null);
  const clicks = await pool.query<{ id: string; source_click_id: string }>(
    `SELECT id, source_click_id FROM visits WHERE desk_id = $1 AND day = ANY ($2::date[]) AND id = ANY ($3)
     UNION ALL SELECT foreign_id, source_click_id FROM carried_clicks WHERE desk_id = $1 AND foreign_id = ANY ($4)`,
    [deskId, [...new Set(ours.map(clickIdDay))], ours, ids],
  );
  const of = new Map(clicks.rows.map((v) => [v.id, v.source_click_id]));
  return rows.map((r) => ({ ...r, source_click_id: of.get(r.click_id) ?? '' }));
}

async function cellsOf(source: Wanted, row: Row, rates: Rates): Promise<string[]> {
  if (row.source_click_id === '') return [];
  const { payout, currency } = await asReported(source, row, rates);
  const values: Record<FileField, string> = {
    source_click_id: row.source_click_id,
    conversion_time: DateTime.fromJSDate(row.converted_at, { zone: source.zone }).toISO({
      suppressMilliseconds: true,
    })!,
    event: row.event,
    status: row.status,
    payout: formatAmount(payout),
    currency,
    transaction: row.transaction || row.id,
    click_id: row.click_id,
    campaign_name: row.campaign_name,
  };
  return source.body.fileColumns.map((c) => values[c.field]);
}

async function asReported(
  { deskId, deskCurrency, deskZone, body }: Wanted,
  { payout_micros, currency, converted_at }: Row,
  rates: Rates,
): Promise<{ payout: bigint; currency: string }> {
  const wanted = body.costCurrency;
  if (body.reportPayout === 'fixed') return { payout: BigInt(body.reportFixed), currency: wanted };
  const booked = { payout: BigInt(payout_micros), currency };
  if (body.reportPayout !== 'converted' || currency === wanted) return booked;
  const desk = { deskId, desk: { zone: deskZone, currency: deskCurrency } };
  const [from, to] = await Promise.all(
    [currency, wanted].map((of) => rates.on(desk, of, converted_at.getTime())),
  );
  return !from || !to ? booked : { payout: convertBetween(booked.payout, from, to), currency: wanted };
}

/** RFC 4180. Nothing for a conversion that the source could not tell. */
const line = (cells: readonly string[]): string =>
  cells.length === 0
    ? ''
    : `${cells.map((c) => (/[",\r\n]/.test(c) ? `"${c.replaceAll('"', '""')}"` : c)).join(',')}\r\n`;
