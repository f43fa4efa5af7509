/**
 * Books a fold: conversions by their identity, ledger entries for the difference alone, postbacks out that are due.
 * What stands already is read once and compared; only what differs is written, so that a visit with hundreds of
 * conversions costs no more writes than one with a single conversion.
 */
import { clickIdDay } from '@tracheon/core/identity';
import { dimensionFields, visitColumns } from '@tracheon/core/visits';
import { factChange } from '../db/factChanges.ts';
import { ulidAt } from '../db/pooledUlid.ts';
import type { FoldedConversion } from '@tracheon/core/conversions';
import { isReported, storePostbacksOut } from './bookPostbacksOut.ts';
import { Ledger } from './ledger.ts';
import type { OwnedOutcome } from './outcomes.ts';
import type { OwnerContext } from './ownerContext.ts';
import type { Standing, StandingConversion } from './standing.ts';
import type { Pipelined } from '../db/pools.ts';

/** What stands of an owner and event type, and what it folds to. */
export interface Fold {
  standing: Standing;
  conversions: FoldedConversion[];
  /** The owner's, as they stood before this judgement. */
  outcomes: readonly OwnedOutcome[];
}

/** Returns conversion IDs by identity. */
export async function book(
  client: Pipelined,
  context: OwnerContext,
  { standing, conversions, outcomes }: Fold,
  causeReceiptId: string,
  /** Sources are told of no new conversion before it, in ms since 1970. */
  reportSince = -Infinity,
): Promise<Map<string, string>> {
  const { ids, orphans } = matchIdentities(standing.conversions, conversions, outcomes);
  const ledger = new Ledger(client, context, standing.booked, causeReceiptId);
  for (const id of orphans)
    await removeConversion(
      client,
      context,
      ledger,
      standing.conversions.find((s) => s.id === id)!,
    );
  const extras = newestExtras(outcomes);
  const reported = new Map<string, boolean>();
  for (const c of conversions) {
    const id = ids.get(c.ident) ?? ulidAt(Math.min(c.convertedAt, Date.now()));
    ids.set(c.ident, id);
    const base = await ledger.settle(id, c);
    const before = standing.conversions.find((s) => s.id === id);
    reported.set(id, before?.reported ?? (c.convertedAt >= reportSince && isReported(context)));
    if (!before || written(before) !== fingerprint(c, base, extras, context.visit.offerId)) {
      storeConversion(client, context, id, c, base, extras, reported.get(id)!);
      tellChange(client, context, id, before ? countedOf(before) : null, counted(c, base));
    }
  }
  const rules = {
    standing: standing.postbacksOut,
    extras,
    isReportedOf: (id: string) => reported.get(id) ?? null,
  };
  await storePostbacksOut(client, context, rules, conversions, ids);
  clearBotMark(client, context, conversions);
  return ids;
}

/** What stands, as the text that the same conversion would have; see `fingerprint`. */
const written = (r: StandingConversion): string =>
  fingerprint(
    {
      ident: r.ident,
      status: r.status,
      payout: BigInt(r.payout_micros),
      currency: r.currency,
      convertedAt: r.converted_at.getTime(),
      flags: r.flags,
      noted:
        r.noted_micros === null ? null : { payout: BigInt(r.noted_micros), currency: r.noted_currency ?? '' },
    },
    r.base_micros === null ? null : BigInt(r.base_micros),
    r.extras,
    r.offer_id,
  );

type Written = Pick<
  FoldedConversion,
  'ident' | 'status' | 'payout' | 'currency' | 'convertedAt' | 'flags' | 'noted'
>;
function fingerprint(
  c: Written,
  base: bigint | null,
  extras: Record<string, string>,
  offerId: string,
): string {
  const sorted = Object.entries(extras).sort(([a], [b]) => (a < b ? -1 : 1));
  return JSON.stringify([
    c.ident,
    c.status,
    String(c.payout),
    c.currency,
    String(base),
    c.convertedAt,
    c.flags,
    c.noted && [String(c.noted.payout), c.noted.currency],
    sorted,
    offerId,
  ]);
}

/**
 * A row whose identity is gone has been adopted by a transaction, or regrouped: it goes on under the identity that
 * has its first receipt now. One that nothing goes on with is an orphan.
 */
function matchIdentities(
  standing: readonly StandingConversion[],
  conversions: readonly FoldedConversion[],
  outcomes: readonly OwnedOutcome[],
): { ids: Map<string, string>; orphans: string[] } {
  const ids = new Map<string, string>();
  const wanted = new Set(conversions.map((c) => c.ident));
  for (const row of standing) if (wanted.has(row.ident)) ids.set(row.ident, row.id);
  const orphans: string[] = [];
  for (const row of standing.filter((s) => !wanted.has(s.ident))) {
    const first = outcomes
      .filter((o) => o.conversion_id === row.id)
      .map((o) => o.receipt_id)
      .sort()[0];
    const heir = conversions.find(
      (c) => !ids.has(c.ident) && first !== undefined && c.receiptIds.includes(first),
    );
    if (heir) ids.set(heir.ident, row.id);
    else orphans.push(row.id);
  }
  return { ids, orphans };
}

async function removeConversion(
  client: Pipelined,
  context: OwnerContext,
  ledger: Ledger,
  gone: StandingConversion,
): Promise<void> {
  const { id } = gone;
  await ledger.settle(id, null);
  tellChange(client, context, id, countedOf(gone), null);
  client.write(
    `DELETE FROM outbox WHERE desk_id = $1 AND conversion_id = $2 AND state = 'waiting' AND tries = 0`,
    [context.deskId, id],
  );
  client.write('DELETE FROM conversions WHERE id = $1', [id]);
}

/** What is counted of a conversion. */
interface Counted {
  status: string;
  payoutMicros: string;
  currency: string;
  baseMicros: string | null;
  convertedAt: string;
}
const counted = (c: FoldedConversion, base: bigint | null): Counted => ({
  status: c.status,
  payoutMicros: c.payout.toString(),
  currency: c.currency,
  baseMicros: base?.toString() ?? null,
  convertedAt: new Date(c.convertedAt).toISOString(),
});
const countedOf = (s: StandingConversion): Counted => ({
  status: s.status,
  payoutMicros: s.payout_micros,
  currency: s.currency,
  baseMicros: s.base_micros,
  convertedAt: s.converted_at.toISOString(),
});

function tellChange(
  client: Pipelined,
  { deskId, visit }: OwnerContext,
  id: string,
  before: Counted | null,
  after: Counted | null,
): void {
  // Extras, flags and identities are counted nowhere.
  if (JSON.stringify(before) === JSON.stringify(after)) return;
  const change = { deskId, subjectId: id, visitId: visit.id, old: before, new: after };
  client.write(...factChange({ kind: 'conversion', ...change }));
}

/** Extras are not folded: those of the newest call stand. */
function newestExtras(outcomes: readonly OwnedOutcome[]): Record<string, string> {
  const newest = [...outcomes].sort(
    (a, b) => a.received_at.getTime() - b.received_at.getTime() || (a.receipt_id < b.receipt_id ? -1 : 1),
  );
  return newest.at(-1)?.reading.extras ?? {};
}

/** A conversion carries every dimension of its visit; its network is the one that pays. */
const DIMENSION_NAMES = dimensionFields.map((field) => visitColumns[field].name);

function storeConversion(
  client: Pipelined,
  { deskId, visit, eventType, network }: OwnerContext,
  id: string,
  c: FoldedConversion,
  base: bigint | null,
  extras: Record<string, string>,
  reported: boolean,
): void {
  const transaction = c.ident.startsWith('t:') ? c.ident.slice(2) : '';
  client.write(
    `INSERT INTO conversions (id, desk_id, owner, event_type_id, ident, is_test, transaction, status, payout_micros, currency,
       base_micros, converted_at, flags, click_id, visit_at, subs, extras, reported, noted_micros, noted_currency, ${DIMENSION_NAMES.join(', ')})
     VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $3, $14, $15, $16, $17, $18, $19,
       ${DIMENSION_NAMES.map((_, i) => `$${20 + i}`).join(', ')})
     ON CONFLICT (id) DO UPDATE SET ident = excluded.ident, transaction = excluded.transaction, status = excluded.status,
       payout_micros = excluded.payout_micros, currency = excluded.currency, base_micros = excluded.base_micros,
       converted_at = excluded.converted_at, flags = excluded.flags, extras = excluded.extras, noted_micros = excluded.noted_micros,
       noted_currency = excluded.noted_currency, offer_id = excluded.offer_id, network_id = excluded.network_id, updated_at = now()`,
    [
      id,
      deskId,
      visit.id,
      eventType.id,
      c.ident,
      visit.isTest,
      transaction,
      c.status,
      c.payout.toString(),
      c.currency,
      base?.toString() ?? null,
      new Date(c.convertedAt),
      JSON.stringify(c.flags),
      new Date(visit.atMs),
      JSON.stringify(visit.subs),
      JSON.stringify(extras),
      reported,
      c.noted?.payout.toString() ?? null,
      c.noted?.currency ?? null,
      ...dimensionFields.map((field) => (field === 'networkId' ? network.id : visit[field])),
    ],
  );
}

/** Who converts is no bot: the mark is cleared, so that the visit counts. */
function clearBotMark(
  client: Pipelined,
  { deskId, visit }: OwnerContext,
  conversions: readonly FoldedConversion[],
): void {
  if (conversions.length === 0 || !visit.isBot || visit.isTest) return;
  client.write(
    `UPDATE visits SET is_bot = false, notes = notes || '["bot_cleared"]' WHERE desk_id = $1 AND day = $2 AND id = $3 AND is_bot`,
    [deskId, clickIdDay(visit.id), visit.id],
  );
  client.write(
    ...factChange({
      kind: 'bot_mark',
      deskId,
      subjectId: visit.id,
      visitId: visit.id,
      old: { isBot: true },
      new: { isBot: false },
    }),
  );
}
