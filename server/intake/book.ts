/**
 * Books a fold: conversions by their identity, ledger entries for the difference alone, calls out that are due.
 * Base effect of a change = round(new balance × rate) − what was booked before, so that a reversal nets to zero.
 */
import type { PoolClient } from 'pg';
import { ulid } from 'ulid';
import { balances, callsDue, type FoldedConversion } from '@tracheon/core/conversions';
import { convert, rateOn, type Rate } from '@tracheon/core/money';
import type { OwnerContext } from './ownerContext.ts';
import { postbackText } from './postbackText.ts';

interface ConversionState {
  id: string;
  ident: string;
  first_receipt: string | null;
}

/** Returns conversion IDs by identity. */
export async function book(
  client: PoolClient,
  context: OwnerContext,
  conversions: FoldedConversion[],
  causeReceiptId: string,
  extras: Record<string, string>,
): Promise<Map<string, string>> {
  const { deskId, visit, eventType } = context;
  const { rows: existing } = await client.query<ConversionState>(
    `SELECT c.id, c.ident, (SELECT l.receipt_id FROM outcomes l WHERE l.desk_id = c.desk_id AND l.conversion_id = c.id ORDER BY l.receipt_id LIMIT 1) AS first_receipt
     FROM conversions c WHERE desk_id = $1 AND owner = $2 AND event_type_id = $3 AND is_test = $4`,
    [deskId, visit.id, eventType.id, visit.is_test],
  );
  const ids = new Map<string, string>();
  for (const c of conversions) {
    const row = existing.find((e) => e.ident === c.ident);
    if (row) ids.set(c.ident, row.id);
  }
  // A row whose identity is gone has been adopted by a transaction, or regrouped: it goes on under the new one.
  for (const row of existing.filter((e) => !conversions.some((c) => c.ident === e.ident))) {
    const heir = conversions.find(
      (c) => !ids.has(c.ident) && row.first_receipt !== null && c.receiptIds.includes(row.first_receipt),
    );
    if (heir) {
      await client.query('UPDATE conversions SET ident = $2 WHERE id = $1', [row.id, heir.ident]);
      ids.set(heir.ident, row.id);
    } else {
      await bookBalances(client, context, row.id, null, causeReceiptId);
      await client.query(
        `DELETE FROM outbox WHERE desk_id = $1 AND conversion_id = $2 AND state = 'waiting' AND tries = 0`,
        [deskId, row.id],
      );
      await client.query('DELETE FROM conversions WHERE id = $1', [row.id]);
    }
  }
  for (const c of conversions) {
    const id = ids.get(c.ident) ?? ulid(Math.min(c.convertedAt, Date.now()));
    ids.set(c.ident, id);
    const base = await bookBalances(client, context, id, c, causeReceiptId);
    await storeConversion(client, context, id, c, base, extras);
    await storeCallsOut(client, context, id, c);
  }
  if (conversions.length > 0 && visit.is_bot && !visit.is_test)
    // Who converts is no bot: the mark is cleared, so that the visit counts.
    await client.query(
      `UPDATE visits SET is_bot = false, notes = notes || '["bot_cleared"]' WHERE desk_id = $1 AND day = $2 AND id = $3`,
      [deskId, visit.at.toISOString().slice(0, 10), visit.id],
    );
  return ids;
}

/** Writes the difference to what was booked; returns what stands in the desk's currency, null while no rate is known. */
async function bookBalances(
  client: PoolClient,
  { deskId, desk }: OwnerContext,
  conversionId: string,
  c: FoldedConversion | null,
  receiptId: string,
): Promise<bigint | null> {
  const { rows: booked } = await client.query<{
    kind: string;
    currency: string;
    delta: string;
    base: string | null;
    rate: string | null;
  }>(
    `SELECT kind, currency, sum(delta_micros) AS delta, sum(base_delta_micros) AS base, max(rate_nanos) AS rate
     FROM ledger WHERE desk_id = $1 AND conversion_id = $2 GROUP BY kind, currency`,
    [deskId, conversionId],
  );
  const target = c === null ? { hold: 0n, earn: 0n } : balances(c);
  const places = new Set(booked.map((b) => `${b.kind}|${b.currency}`));
  if (c) for (const kind of ['hold', 'earn'] as const) places.add(`${kind}|${c.currency}`);
  let stands: bigint | null = 0n;
  for (const place of places) {
    const [kind, currency] = place.split('|') as ['hold' | 'earn', string];
    const before = booked.find((b) => b.kind === kind && b.currency === currency);
    const balance = c?.currency === currency ? target[kind] : 0n;
    const delta = balance - BigInt(before?.delta ?? 0);
    // The rate used first stays with the conversion; a new one is looked up only where none was known.
    const known = booked.find((b) => b.currency === currency && b.rate !== null)?.rate;
    const rate =
      known !== undefined && known !== null
        ? BigInt(known)
        : c
          ? await findRate(client, deskId, desk, currency, c.convertedAt)
          : null;
    const base: bigint | null = rate === null ? null : convert(balance, rate) - BigInt(before?.base ?? 0);
    if (delta !== 0n || (base !== null && base !== 0n))
      await client.query(
        `INSERT INTO ledger (desk_id, conversion_id, kind, delta_micros, currency, rate_nanos, base_delta_micros, receipt_id)
         VALUES ($1, $2, $3, $4, $5, $6, $7, $8)`,
        [
          deskId,
          conversionId,
          kind,
          delta.toString(),
          currency,
          rate?.toString() ?? null,
          base?.toString() ?? null,
          receiptId,
        ],
      );
    if (balance !== 0n) stands = rate === null || stands === null ? null : stands + convert(balance, rate);
  }
  return stands;
}

async function findRate(
  client: PoolClient,
  deskId: string,
  desk: { zone: string; currency: string },
  base: string,
  atMs: number,
): Promise<bigint | null> {
  const day = new Intl.DateTimeFormat('sv-SE', { timeZone: desk.zone }).format(atMs);
  if (base === desk.currency) return rateOn([], base, desk.currency, day);
  const { rows } = await client.query<{ day: string; nanos: string }>(
    'SELECT day, nanos FROM rates WHERE desk_id = $1 AND base = $2 AND day <= $3 ORDER BY day DESC LIMIT 1',
    [deskId, base, day],
  );
  const rates: Rate[] = rows.map((r) => ({ base, day: r.day, nanos: BigInt(r.nanos) }));
  return rateOn(rates, base, desk.currency, day);
}

async function storeConversion(
  client: PoolClient,
  { deskId, visit, eventType }: OwnerContext,
  id: string,
  c: FoldedConversion,
  base: bigint | null,
  extras: Record<string, string>,
): Promise<void> {
  const transaction = c.ident.startsWith('t:') ? c.ident.slice(2) : '';
  await client.query(
    `INSERT INTO conversions (id, desk_id, owner, event_type_id, ident, is_test, transaction, status, payout_micros, currency,
       base_micros, converted_at, flags, click_id, visit_at, campaign_id, source_id, offer_id, network_id, landing_id, branch,
       country, device, os, browser, subs, extras)
     VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $3, $14, $15, $16, $17, $18, $19, $20, $21, $22, $23, $24, $25, $26)
     ON CONFLICT (id) DO UPDATE SET ident = excluded.ident, transaction = excluded.transaction, status = excluded.status,
       payout_micros = excluded.payout_micros, currency = excluded.currency, base_micros = excluded.base_micros,
       converted_at = excluded.converted_at, flags = excluded.flags, extras = excluded.extras, updated_at = now()`,
    [
      id,
      deskId,
      visit.id,
      eventType.id,
      c.ident,
      visit.is_test,
      transaction,
      c.status,
      c.payout.toString(),
      c.currency,
      base?.toString() ?? null,
      new Date(c.convertedAt),
      JSON.stringify(c.flags),
      visit.at,
      visit.campaign_id,
      visit.source_id,
      visit.offer_id,
      visit.network_id,
      visit.landing_id,
      visit.branch,
      visit.country,
      visit.device,
      visit.os,
      visit.browser,
      JSON.stringify(visit.subs),
      JSON.stringify(extras),
    ],
  );
}

/** Brings the outbox to what the fold calls for. What was sent stays sent; what waits untried may change or go. */
async function storeCallsOut(
  client: PoolClient,
  context: OwnerContext,
  conversionId: string,
  c: FoldedConversion,
): Promise<void> {
  const { deskId, visit, source } = context;
  const due = source.body.postbackUrl === '' || visit.is_test ? [] : callsDue(c, source.body.tellStatuses);
  await client.query(
    `DELETE FROM outbox WHERE desk_id = $1 AND conversion_id = $2 AND state = 'waiting' AND tries = 0 AND NOT status = ANY ($3)`,
    [deskId, conversionId, due.map((t) => t.status)],
  );
  for (const [seq, transition] of due.entries()) {
    const id = ulid();
    const url = postbackText(context, c, transition, conversionId);
    await client.query(
      // What would come after its own successor is not sent any more: the source would read it as the newer one.
      `INSERT INTO outbox (id, desk_id, conversion_id, source_id, campaign_id, seq, status, url, state)
       SELECT $1, $2, $3, $4, $5, $6, $7, $8, CASE WHEN EXISTS (
         SELECT 1 FROM outbox WHERE desk_id = $2 AND conversion_id = $3 AND seq >= $6 AND status <> $7 AND state = 'delivered')
         THEN 'overtaken' ELSE 'waiting' END
       ON CONFLICT ON CONSTRAINT outbox_once DO UPDATE SET seq = excluded.seq, url = excluded.url
       WHERE outbox.state = 'waiting' AND outbox.tries = 0`,
      [id, deskId, conversionId, source.id, visit.campaign_id, seq, transition.status, url],
    );
  }
}
