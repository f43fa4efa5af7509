/** The folds of owners: everything known of a visit and an event type, folded by the terms that hold for it; nothing is written. */
import { DEFAULT_WINDOW_DAYS, needsApproval } from '@tracheon/core/contract';
import {
  foldOwner,
  partnerTerms,
  payoutTerms,
  type EventTypeRule,
  type FoldedConversion,
  type FoldRules,
} from '@tracheon/core/conversions';
import { localDay } from '@tracheon/core/time';
import type { Reads } from '../db/pools.ts';
import { datedPartners } from './otherOwners.ts';
import { toSignal, type OwnedOutcome } from './outcomes.ts';
import { asOfNetwork } from './loadVisits.ts';
import { loadContexts, type ContextWanted, type OwnerContext } from './ownerContext.ts';
import type { OwningVisit } from './owningVisit.ts';

export interface OwnerFold {
  context: OwnerContext;
  /** All receipts of the owner, and those of the network that pays: only they are folded. */
  all: OwnedOutcome[];
  rows: OwnedOutcome[];
  conversions: FoldedConversion[];
  verdicts: ReturnType<typeof foldOwner>['verdicts'];
}

/** Whose fold is asked for, and all its receipts. `callingNetwork` pays for a visit without an offer of which nobody has told yet. */
export interface FoldWanted {
  visit: OwningVisit;
  eventType: EventTypeRule;
  callingNetwork: string;
  all: OwnedOutcome[];
}

/** In the order in which they were asked for. */
export async function foldsOf(client: Reads, wanted: readonly FoldWanted[]): Promise<OwnerFold[]> {
  const visits = await datedPartners(
    client,
    wanted.map(({ visit, all }) => ({ visit, times: all.map(momentOf) })),
  );
  const contexts = await loadContexts(
    client,
    wanted.map((of, i) => contextWanted({ ...of, visit: visits[i]! })),
  );
  const strangers = await withoutAccess(client, contexts);
  return wanted.map(({ visit, all }, i) => {
    const context = contexts[i]!;
    const rows = all.filter((row) => row.network_id === context.network.id);
    const rules = foldRules(context);
    const isStranger = rules.partner !== null && strangers.has(context);
    if (isStranger) rules.partner = { ...rules.partner!, approval: 'member' };
    const { conversions, verdicts } = foldOwner(rows.map(toSignal), rules);
    const flags = [
      ...(visit.ownedBy === 'carried' ? ['carried_over'] : []),
      ...(visit.ownedBy !== 'carried' && visit.offerId === '' ? ['from_fallback'] : []),
      ...(isStranger ? ['partner_without_access'] : []),
    ];
    const flagged = (c: FoldedConversion): FoldedConversion =>
      flags.length === 0 ? c : { ...c, flags: [...c.flags, ...flags].sort() };
    return { context, all, rows, conversions: conversions.map(flagged), verdicts };
  });
}

/**
 * Those whose partner had no access to the offer when it sent the visitor, where the offer asks for one: what they bring is
 * paid after a member's look only. By the terms and the access of that moment, so that it is the same whenever it is judged.
 */
async function withoutAccess(client: Reads, contexts: readonly OwnerContext[]): Promise<Set<OwnerContext>> {
  const asked = contexts.filter(
    ({ offer, visit }) => visit.broughtBy !== '' && offer !== null && offer.body.partnerAccess !== 'hidden',
  );
  if (asked.length === 0) return new Set();
  const { rows } = await client.query<{ has: boolean; ended: boolean }>(
    `SELECT bool_or(p.begins IS NOT NULL AND (p.ends IS NULL OR p.ends > k.at)) AS has, count(p.begins) > 0 AS ended
     FROM unnest($1::text[], $2::text[], $3::text[], $4::timestamptz[]) WITH ORDINALITY AS k (desk, offer, partner, at, nth)
     LEFT JOIN offer_access_periods p ON p.desk_id = k.desk AND p.offer_id = k.offer AND p.partner_id = k.partner AND p.begins <= k.at
     GROUP BY k.nth ORDER BY k.nth`,
    [
      asked.map((c) => c.deskId),
      asked.map((c) => c.offer!.id),
      asked.map((c) => c.visit.broughtBy),
      asked.map((c) => new Date(c.visit.atMs).toISOString()),
    ],
  );
  // An offer that is open to all is closed only to those whose access was ended.
  return new Set(
    asked.filter(({ offer }, i) => {
      const { has, ended } = rows[i]!;
      return !has && (ended || needsApproval(offer!.body.partnerAccess));
    }),
  );
}

const momentOf = ({ received_at, reading }: OwnedOutcome): number =>
  reading.conversionTime ?? received_at.getTime();

/** The network that pays is the visit's own, but for a visit without an offer, and for one whose buttons lead to several. */
function contextWanted({ visit, eventType, callingNetwork, all }: FoldWanted): ContextWanted {
  if (visit.networkId === '') return { visit, eventType, networkId: payingNetwork(all) ?? callingNetwork };
  if (visit.clicked.length === 0) return { visit, eventType, networkId: visit.networkId };
  const as = asClicked(visit, all, callingNetwork);
  return { visit: as, eventType, networkId: as.networkId };
}

/** Of a visit with several offers: of those networks that one of them belongs to, the one that told first, and its offer. */
function asClicked(visit: OwningVisit, all: readonly OwnedOutcome[], callingNetwork: string): OwningVisit {
  const offered = all.filter((row) => asOfNetwork(visit, row.network_id, Infinity) !== null);
  const networkId = payingNetwork(offered) ?? callingNetwork;
  const told = offered.filter((row) => row.network_id === networkId).map((row) => row.received_at.getTime());
  return asOfNetwork(visit, networkId, Math.min(...told)) ?? visit;
}

/** Of a visit without an offer: the network that told of it first, whichever is judged first; null when nobody has. */
function payingNetwork(rows: readonly OwnedOutcome[]): string | null {
  const first = rows.reduce<OwnedOutcome | null>((a, b) => (a === null || isBefore(b, a) ? b : a), null);
  return first?.network_id ?? null;
}
const isBefore = (a: OwnedOutcome, b: OwnedOutcome): boolean =>
  a.received_at.getTime() - b.received_at.getTime() < 0 ||
  (a.received_at.getTime() === b.received_at.getTime() && a.receipt_id < b.receipt_id);

function foldRules({ desk, offer, network, visit, eventType }: OwnerContext): FoldRules {
  const { repeats } = eventType;
  const { payoutMeans } = network.body;
  // A visit that was sent to a fallback address: no offer's terms hold, only what the network reports.
  if (offer === null)
    return {
      repeats,
      payoutMeans,
      fixedPayout: null,
      defaultPayout: null,
      currency: desk.currency,
      windowEnd: visit.atMs + DEFAULT_WINDOW_DAYS * DAY_MS,
      partner: null,
    };
  // Its zone's day of the visit, since its table is by day.
  const visitDay = localDay(visit.atMs, offer.body.zone || desk.zone);
  const terms = payoutTerms(offer.body, eventType.id, visit.country, visitDay);
  return {
    repeats,
    payoutMeans,
    fixedPayout: terms.fixed,
    defaultPayout: terms.otherwise,
    currency: offer.body.currency,
    // A partner's conversion follows no visit that could be too old.
    windowEnd: visit.ownedBy === 'partner' ? Infinity : visit.atMs + offer.body.windowDays * DAY_MS,
    partner: partnerTerms(offer.body, {
      eventTypeId: eventType.id,
      partnerId: visit.broughtBy,
      country: visit.country,
    }),
  };
}
const DAY_MS = 86_400_000;
