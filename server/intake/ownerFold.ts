/** The fold of one owner: everything known of a visit and an event type, read and folded; nothing is written. */
import { DEFAULT_WINDOW_DAYS } from '@tracheon/core/contract';
import {
  foldOwner,
  payoutTerms,
  type EventTypeRule,
  type FoldedConversion,
  type FoldRules,
} from '@tracheon/core/conversions';
import { localDay } from '@tracheon/core/time';
import type { Reads } from '../db/pools.ts';
import { ownedOutcomes, toSignal, type OwnedOutcome } from './outcomes.ts';
import { asOfNetwork, loadContext, type OwnerContext, type OwningVisit } from './ownerContext.ts';

export interface OwnerFold {
  context: OwnerContext;
  /** All receipts of the owner, and those of the network that pays: only they are folded. */
  all: OwnedOutcome[];
  rows: OwnedOutcome[];
  conversions: FoldedConversion[];
  verdicts: ReturnType<typeof foldOwner>['verdicts'];
}

/** `callingNetwork` pays for a visit without an offer of which nobody has told yet. */
export async function foldOfOwner(
  client: Reads,
  visit: OwningVisit,
  eventType: EventTypeRule,
  callingNetwork: string,
): Promise<OwnerFold> {
  const contextOf = (networkId: string, of = visit) =>
    loadContext(client, visit.deskId, of, networkId, eventType);
  // Known beforehand, but for a visit without an offer, and for one whose buttons lead to several.
  const isKnown = visit.networkId !== '' && visit.clicked.length === 0;
  const [all, own] = await Promise.all([
    ownedOutcomes(client, visit.deskId, visit, eventType.id),
    isKnown ? contextOf(visit.networkId) : null,
  ]);
  const context =
    own ??
    (visit.networkId === ''
      ? await contextOf(payingNetwork(all) ?? callingNetwork)
      : await contextOfClicked(contextOf, visit, all, callingNetwork));
  const rows = all.filter((row) => row.network_id === context.network.id);
  const { conversions, verdicts } = foldOwner(rows.map(toSignal), foldRules(context));
  const flagged = (c: FoldedConversion): FoldedConversion =>
    visit.offerId === '' ? { ...c, flags: [...c.flags, 'from_fallback'].sort() } : c;
  return { context, all, rows, conversions: conversions.map(flagged), verdicts };
}

/** Of a visit with several offers: of those networks that one of them belongs to, the one that told first, and its offer. */
function contextOfClicked(
  contextOf: (networkId: string, of: OwningVisit) => Promise<OwnerContext>,
  visit: OwningVisit,
  all: readonly OwnedOutcome[],
  callingNetwork: string,
): Promise<OwnerContext> {
  const offered = all.filter((row) => asOfNetwork(visit, row.network_id, Infinity) !== null);
  const networkId = payingNetwork(offered) ?? callingNetwork;
  const told = offered.filter((row) => row.network_id === networkId).map((row) => row.received_at.getTime());
  const as = asOfNetwork(visit, networkId, Math.min(...told)) ?? visit;
  return contextOf(as.networkId, as);
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
  const plain = { repeats: eventType.repeats, payoutMeans: network.body.payoutMeans };
  // A visit that was sent to a fallback address: no offer's terms hold, only what the network reports.
  if (offer === null)
    return {
      ...plain,
      fixedPayout: null,
      defaultPayout: null,
      currency: desk.currency,
      windowEnd: visit.atMs + DEFAULT_WINDOW_DAYS * DAY_MS,
    };
  // Its zone's day of the visit, since its table is by day.
  const visitDay = localDay(visit.atMs, offer.body.zone || desk.zone);
  const terms = payoutTerms(offer.body, eventType.id, visit.country, visitDay);
  return {
    ...plain,
    fixedPayout: terms.fixed,
    defaultPayout: terms.otherwise,
    currency: offer.body.currency,
    windowEnd: visit.atMs + offer.body.windowDays * DAY_MS,
  };
}
const DAY_MS = 86_400_000;
