/**
 * Books a fold: conversions by their identity, ledger entries for the difference alone, postbacks out that are due.
 * What stands already is read once and compared; only what differs is written, so that a visit with hundreds of
 * conversions costs no more writes than one with a single conversion.
 */
import { clickIdDay } from '@tracheon/core/identity';
import { dimensionFields, visitColumns } from '@tracheon/core/visits';
import { factChangeRow } from '../db/factChanges.ts';
import { ulidAt } from '../db/pooledUlid.ts';
import type { FoldedConversion, PartnerPayout } from '@tracheon/core/conversions';
import { isReported, outboxName, storePostbacksOut } from './bookPostbacksOut.ts';
import { Ledger, type Stands } from './ledger.ts';
import type { OwnedOutcome } from './outcomes.ts';
import type { OwnerContext } from './ownerContext.ts';
import type { OwningVisit } from './owningVisit.ts';
import type { Standing, StandingConversion } from './standing.ts';
import { blankConversion, type JudgementWrites } from './judgementWrites.ts';
import type { Rates } from './rates.ts';

/** What stands of an owner and event type, and what it folds to. */
export interface Fold {
  standing: Standing;
  conversions: FoldedConversion[];
  /** The owner's, as they stood before this judgement. */
  outcomes: readonly OwnedOutcome[];
}

/** Where bookings are gathered, and what they are reckoned with. */
export interface Bookings {
  writes: JudgementWrites;
  rates: Rates;
  /** Sources are told of no new conversion before it, in ms since 1970. */
  reportSince: number;
}

/** Returns conversion IDs by identity. `causeOf`: the receipt because of which a conversion is what it is now; null: it is gone. */
export async function book(
  bookings: Bookings,
  context: OwnerContext,
  { standing, conversions, outcomes }: Fold,
  causeOf: (c: FoldedConversion | null) => string,
): Promise<Map<string, string>> {
  const { writes, rates, reportSince } = bookings;
  const { ids, orphans } = matchIdentities(standing.conversions, conversions, outcomes);
  const ledger = new Ledger(writes, context, standing.booked, rates);
  for (const gone of orphans) {
    await ledger.settle(gone.id, null, causeOf(null));
    removeConversion(writes, context, standing, gone);
  }
  const extras = newestExtras(outcomes);
  const reported = new Map<string, boolean>();
  // New ones of which nobody is to be told: they are of before the time from which on it is.
  const isBefore = new Set<string>();
  for (const c of conversions) {
    const id = ids.get(c.ident) ?? ulidAt(Math.min(c.convertedAt, Date.now()));
    ids.set(c.ident, id);
    const stands = await ledger.settle(id, c, causeOf(c));
    const before = standing.conversions.find((s) => s.id === id);
    const isTold = before?.reported ?? (c.convertedAt >= reportSince && isReported(context));
    reported.set(id, isTold);
    if (isTooOldToTell(context, before, c.convertedAt < reportSince)) isBefore.add(id);
    const whose = { offerId: context.visit.offerId, broughtBy: context.visit.broughtBy };
    if (!before || written(before) !== fingerprint(c, stands, extras, whose)) {
      const rows = before ? writes.conversions : writes.newConversions;
      rows.push(conversionRow(context, id, c, { stands, extras, reported: isTold }));
      tellChange(writes, context, id, before ? countedOf(before) : null, counted(c, stands));
    }
  }
  const rules = {
    standing: standing.postbacksOut,
    extras,
    isToldOf: (id: string, destinationId: string) =>
      destinationId === context.source?.id ? reported.get(id) !== false : !isBefore.has(id),
  };
  await storePostbacksOut(bookings, context, rules, conversions, ids);
  clearBotMark(writes, context, conversions);
  return ids;
}

/**
 * Decided once, and kept with what the source is told: where that is told of every conversion, a *no* can mean nothing else.
 * Where it is told of a share only, the partner is told of all.
 */
function isTooOldToTell(
  { source }: OwnerContext,
  before: StandingConversion | undefined,
  isOld: boolean,
): boolean {
  if (!before) return isOld;
  return before.reported === false && (source?.body.reportedShare ?? 100) >= 100;
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
      partner: r.partner_status && {
        status: r.partner_status,
        amount: BigInt(r.partner_micros!),
        currency: r.partner_currency!,
        dueAt: r.partner_due_at?.getTime() ?? null,
      },
    },
    { revenue: bigOrNull(r.base_micros), partner: r.partner_status && bigOrNull(r.partner_base_micros) },
    r.extras,
    { offerId: r.offer_id, broughtBy: r.brought_by },
    r.partner_due_at?.getTime() ?? null,
  );
const bigOrNull = (text: string | null): bigint | null => (text === null ? null : BigInt(text));

type Written = Pick<
  FoldedConversion,
  'ident' | 'status' | 'payout' | 'currency' | 'convertedAt' | 'flags' | 'noted'
> & { partner: Omit<PartnerPayout, 'changes'> | null };
function fingerprint(
  c: Written,
  stands: Stands,
  extras: Record<string, string>,
  whose: { offerId: string; broughtBy: string },
  /** As it stands; also where nobody is paid yet. */
  due?: number | null,
): string {
  const sorted = Object.entries(extras).sort(([a], [b]) => (a < b ? -1 : 1));
  const { partner: p } = c;
  const dueAt = due === undefined ? (p?.dueAt ?? null) : due;
  return JSON.stringify([
    c.ident,
    c.status,
    String(c.payout),
    c.currency,
    String(stands.revenue),
    c.convertedAt,
    c.flags,
    c.noted && [String(c.noted.payout), c.noted.currency],
    sorted,
    whose.offerId,
    whose.broughtBy,
    p && [p.status, String(p.amount), p.currency, String(stands.partner)],
    dueAt,
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
): { ids: Map<string, string>; orphans: StandingConversion[] } {
  const ids = new Map<string, string>();
  const wanted = new Set(conversions.map((c) => c.ident));
  for (const row of standing) if (wanted.has(row.ident)) ids.set(row.ident, row.id);
  const orphans: StandingConversion[] = [];
  for (const row of standing.filter((s) => !wanted.has(s.ident))) {
    const first = outcomes
      .filter((o) => o.conversion_id === row.id)
      .map((o) => o.receipt_id)
      .sort()[0];
    const heir = conversions.find(
      (c) => !ids.has(c.ident) && first !== undefined && c.receiptIds.includes(first),
    );
    if (heir) ids.set(heir.ident, row.id);
    else orphans.push(row);
  }
  return { ids, orphans };
}

function removeConversion(
  writes: JudgementWrites,
  context: OwnerContext,
  standing: Standing,
  gone: StandingConversion,
): void {
  tellChange(writes, context, gone.id, countedOf(gone), null);
  for (const row of standing.postbacksOut)
    if (row.conversion_id === gone.id && row.untouched)
      writes.goneOutbox.push(outboxName(context.deskId, row));
  writes.goneConversions.push(gone.id);
}

/** What is counted of a conversion. */
interface Counted {
  status: string;
  payoutMicros: string;
  currency: string;
  baseMicros: string | null;
  convertedAt: string;
  /** What its partner gets, in the desk's currency; left out where nobody does. */
  partnerBaseMicros?: string | null;
}
function counted(c: FoldedConversion, stands: Stands): Counted {
  const of: Counted = {
    status: c.status,
    payoutMicros: c.payout.toString(),
    currency: c.currency,
    baseMicros: stands.revenue?.toString() ?? null,
    convertedAt: new Date(c.convertedAt).toISOString(),
  };
  if (c.partner) of.partnerBaseMicros = stands.partner?.toString() ?? null;
  return of;
}
function countedOf(s: StandingConversion): Counted {
  const of: Counted = {
    status: s.status,
    payoutMicros: s.payout_micros,
    currency: s.currency,
    baseMicros: s.base_micros,
    convertedAt: s.converted_at.toISOString(),
  };
  if (s.partner_status) of.partnerBaseMicros = s.partner_base_micros;
  return of;
}

/** In UTC. A click ID of ours tells the day of its partition. */
const dayOf = (visit: OwningVisit): string =>
  visit.ownedBy === 'visit' ? clickIdDay(visit.id) : new Date(visit.atMs).toISOString().slice(0, 10);

function tellChange(
  writes: JudgementWrites,
  { deskId, visit }: OwnerContext,
  id: string,
  before: Counted | null,
  after: Counted | null,
): void {
  // Extras, flags and identities are counted nowhere.
  if (JSON.stringify(before) === JSON.stringify(after)) return;
  writes.facts.push(
    factChangeRow({
      kind: 'conversion',
      deskId,
      subjectId: id,
      day: dayOf(visit),
      old: before,
      new: after,
    }),
  );
}

/** Extras are not folded: those of the newest call stand. A change by hand tells none. */
function newestExtras(outcomes: readonly OwnedOutcome[]): Record<string, string> {
  const told = outcomes.filter((o) => o.reading.about === undefined);
  const newest = told.sort(
    (a, b) => a.received_at.getTime() - b.received_at.getTime() || (a.receipt_id < b.receipt_id ? -1 : 1),
  );
  return newest.at(-1)?.reading.extras ?? {};
}

function conversionRow(
  { deskId, visit, eventType, network }: OwnerContext,
  id: string,
  c: FoldedConversion,
  { stands, extras, reported }: { stands: Stands; extras: Record<string, string>; reported: boolean },
): Record<string, unknown> {
  const row: Record<string, unknown> = { ...blankConversion };
  row.id = id;
  row.desk_id = deskId;
  row.owner = visit.id;
  row.event_type_id = eventType.id;
  row.ident = c.ident;
  row.is_test = visit.isTest;
  row.transaction = c.ident.startsWith('t:') ? c.ident.slice(2) : '';
  row.status = c.status;
  row.payout_micros = c.payout.toString();
  row.currency = c.currency;
  row.base_micros = stands.revenue?.toString() ?? null;
  row.converted_at = new Date(c.convertedAt).toISOString();
  row.flags = c.flags;
  row.click_id = visit.shownClickId;
  row.partner_id = visit.partnerId;
  row.visit_at = new Date(visit.atMs).toISOString();
  row.subs = visit.subs;
  row.extras = extras;
  row.reported = reported;
  row.noted_micros = c.noted?.payout.toString() ?? null;
  row.noted_currency = c.noted?.currency ?? null;
  for (const field of dimensionFields) row[visitColumns[field].name] = visit[field];
  row[visitColumns.networkId.name] = network.id;
  if (c.partner) Object.assign(row, partnerColumns(c.partner, stands.partner));
  return row;
}

/** They stay null where nobody is paid. */
const partnerColumns = (p: PartnerPayout, base: bigint | null): Record<string, string | null> => ({
  partner_status: p.status,
  partner_micros: p.amount.toString(),
  partner_currency: p.currency,
  partner_base_micros: base?.toString() ?? null,
  partner_due_at: p.dueAt === null ? null : new Date(p.dueAt).toISOString(),
});

/** Who converts is no bot: the mark is cleared, so that the visit counts. */
function clearBotMark(
  writes: JudgementWrites,
  { deskId, visit }: OwnerContext,
  conversions: readonly FoldedConversion[],
): void {
  if (conversions.length === 0 || !visit.isBot || visit.isTest) return;
  writes.noBots.push({ deskId, visitId: visit.id });
  writes.facts.push(
    factChangeRow({
      kind: 'bot_mark',
      deskId,
      subjectId: visit.id,
      day: dayOf(visit),
      old: { isBot: true },
      new: { isBot: false },
    }),
  );
}
