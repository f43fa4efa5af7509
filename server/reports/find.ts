/** What a text from anywhere is on this desk: pasted into the palette, it leads to what it belongs to. */
import { dayAgo, dayOfReceipt, daysOfReceipts } from '../db/partitions.ts';
import type { Pool } from 'pg';
import type { FoundThings } from '@tracheon/core/contract';
import { reasonSentence } from '@tracheon/core/conversions';
import { clickIdDay, parseClickId } from '@tracheon/core/identity';
import { linkParameters } from '@tracheon/core/links';

type Row = FoundThings['rows'][number];
const MAX_FOUND = 10;
/** Click IDs and keys stand somewhere in a pasted link. */
const ULIDS = /(?<![0-9A-Z])[0-7][0-9A-HJKMNP-TV-Z]{25}(?![0-9A-Z])/gi;
const KEYS = /\/(v|seen|in|b)\/([a-z0-9]{6,40})/g;
/** Source click IDs and transactions shorter than this are found everywhere. */
const LEAST_LENGTH = 4;

export async function findThings(pool: Pool, deskId: string, raw: string): Promise<FoundThings> {
  const text = raw.trim();
  const found = await Promise.all([
    visitsBy(pool, deskId, text),
    keysIn(pool, deskId, text),
    conversionsBy(pool, deskId, text),
    unbookedBy(pool, deskId, text),
    sourceClicks(pool, deskId, text),
  ]);
  const rows = new Map(found.flat().map((r) => [`${r.what}.${r.id}`, r]));
  return { rows: [...rows.values()].slice(0, MAX_FOUND) };
}

const visitRow = (r: { id: string; name: string; at: Date; country: string }): Row => ({
  what: 'visit',
  id: r.id,
  title: r.id,
  says: `Visit of ${r.at.toISOString().slice(0, 16).replace('T', ' ')} UTC, ${[r.country, r.name].filter(Boolean).join(', ')}`,
});

async function visitsBy(pool: Pool, deskId: string, text: string): Promise<Row[]> {
  const ids = [...new Set((text.match(ULIDS) ?? []).map((t) => parseClickId(t)))].filter((id) => id !== null);
  const rows: Row[] = [];
  for (const id of ids.slice(0, 5)) {
    const found = await pool.query<{ id: string; name: string; at: Date; country: string }>(
      `SELECT v.id, p.name, v.at, v.country FROM visits v JOIN parts p ON p.id = v.campaign_id
       WHERE v.desk_id = $1 AND v.day = $2 AND v.id = $3`,
      [deskId, clickIdDay(id), id],
    );
    rows.push(...found.rows.map(visitRow));
  }
  return rows;
}

const kindOf = { v: 'campaign', seen: 'campaign', in: 'network', b: 'landing-page' } as const;

async function keysIn(pool: Pool, deskId: string, text: string): Promise<Row[]> {
  const keys = [...text.matchAll(KEYS)].slice(0, 5);
  const rows: Row[] = [];
  for (const [, path, key] of keys) {
    const what = kindOf[path as keyof typeof kindOf];
    const { rows: parts } = await pool.query<{ id: string; name: string; state: string }>(
      'SELECT id, name, state FROM parts WHERE desk_id = $1 AND kind = $2 AND key = $3',
      [deskId, what, key],
    );
    for (const p of parts)
      rows.push({
        what,
        id: p.id,
        title: p.name,
        says:
          p.state === 'live' ? `Matched by its key ${key}` : `Matched by its key ${key}; it is ${p.state}`,
      });
  }
  return rows;
}

async function conversionsBy(pool: Pool, deskId: string, text: string): Promise<Row[]> {
  const words = [text, ...linkParameters(text).map((p) => p.value)].filter(
    (w) => w.length >= LEAST_LENGTH && w.length <= 255,
  );
  if (words.length === 0) return [];
  const { rows } = await pool.query<{
    id: string;
    click_id: string;
    transaction: string;
    name: string;
    status: string;
  }>(
    `SELECT c.id, c.click_id, c.transaction, coalesce(p.name, 'partner ' || c.partner_id) AS name, c.status FROM conversions c LEFT JOIN parts p ON p.id = c.campaign_id
     WHERE c.desk_id = $1 AND (c.id = ANY ($2) OR c.transaction = ANY ($2)) ORDER BY c.id DESC LIMIT ${MAX_FOUND}`,
    [deskId, words],
  );
  return rows.map((r) => ({
    what: 'conversion',
    // Its trail is its visit's; one without a visit of ours has none.
    id: parseClickId(r.click_id) ?? '',
    title: r.transaction || r.id,
    says: `Conversion, ${r.status}, ${r.name}`,
  }));
}

/** So many of the newest postbacks that need repair are looked through. */
const MAX_UNBOOKED = 2000;

/** A transaction or a click ID in a postback that became no conversion: what one asks for when a partner says *we sent it*. */
async function unbookedBy(pool: Pool, deskId: string, text: string): Promise<Row[]> {
  if (text.length < LEAST_LENGTH || text.length > 255 || /[\s?&=]/.test(text)) return [];
  const unbooked = `outcomes WHERE desk_id = $1 AND outcome IN ('repair', 'held') ORDER BY receipt_id DESC LIMIT ${MAX_UNBOOKED}`;
  const days = await daysOfReceipts(pool, `SELECT receipt_id FROM ${unbooked}`, [deskId]);
  const { rows } = await pool.query<{
    id: string;
    name: string;
    outcome: string;
    reason: Parameters<typeof reasonSentence>[0];
    detail: string;
  }>(
    `SELECT o.receipt_id AS id, n.name, o.outcome, o.reason, o.detail
     FROM (SELECT * FROM ${unbooked}) o
     JOIN receipts r ON r.desk_id = o.desk_id AND r.id = o.receipt_id AND ${dayOfReceipt('r.day', 'o.received_at')}
       AND r.day = ANY ($3::date[])
     JOIN parts n ON n.id = r.network_id
     WHERE strpos(lower(r.query), lower($2)) > 0 OR strpos(lower(r.body), lower($2)) > 0
     ORDER BY o.receipt_id DESC LIMIT 5`,
    [deskId, text, days],
  );
  return rows.map((r) => ({
    what: 'postback',
    id: r.id,
    title: r.outcome === 'held' ? `Held postback from ${r.name}` : `Postback from ${r.name} needs repair`,
    says: reasonSentence(r.reason, r.detail),
  }));
}

/** The source's own click ID, in the last days. */
async function sourceClicks(pool: Pool, deskId: string, text: string): Promise<Row[]> {
  if (text.length < LEAST_LENGTH || text.length > 255 || /[\s/?&=]/.test(text)) return [];
  const { rows } = await pool.query<{ id: string; name: string; at: Date; country: string }>(
    `SELECT v.id, p.name, v.at, v.country FROM visits v JOIN parts p ON p.id = v.campaign_id
     WHERE v.desk_id = $1 AND v.day >= $3::date AND v.source_click_id = $2
     ORDER BY v.at DESC LIMIT 5`,
    [deskId, text, dayAgo(3)],
  );
  return rows.map(visitRow);
}
