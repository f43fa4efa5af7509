/** Finds mistakes in a routing, such as a branch that no visitor can reach. Each finding names its branch or pairing. */
import { leavesOf, type Condition, type ConditionLeaf, type Routing, type Way } from '../contract/index.ts';
import { SEEN_OFFER, subOf } from '../visits/index.ts';
import { sharesOf } from './words.ts';

export interface RoutingFinding {
  code:
    | 'shadowed'
    | 'contradiction'
    | 'unknown_sub'
    | 'no_weight'
    | 'country_closed'
    | 'buttons'
    | 'loop'
    | 'unlike_events';
  /** ID of the branch; empty for *otherwise*. */
  branchId: string;
  /** ID of the pairing, where it is about one. */
  pairingId: string;
  sentence: string;
}

/** What has to be known of the records. */
export interface RoutedRecords {
  /** Countries in which an offer sells; empty: everywhere. */
  countriesOf: (offerId: string) => readonly string[];
  /** IDs of the event types that an offer has payouts of its own for. */
  eventTypesOf: (offerId: string) => readonly string[];
  /** Whether an offer or a landing page leads back to one of the desk's own tracking domains. */
  leadsBack: (id: string) => boolean;
  /** Named sub-IDs that the campaign's source tells. */
  subs: readonly string[];
  /** How many buttons a landing page has. */
  buttonsOf: (landingPageId: string) => number;
}

export function routingFindings(
  routing: Routing,
  { countriesOf, eventTypesOf, leadsBack, subs, buttonsOf }: RoutedRecords,
): RoutingFinding[] {
  const found: RoutingFinding[] = [];
  const say = (code: RoutingFinding['code'], branchId: string, sentence: string, pairingId = ''): void =>
    void found.push({ code, branchId, pairingId, sentence });
  routing.branches.forEach((b, i) => {
    // A condition that is still being typed says nothing yet.
    if (!isWhole(b.when)) return waysFindings(b, b.id);
    const before = routing.branches.slice(0, i).findIndex((a) => isWhole(a.when) && implies(b.when, a.when));
    if (before >= 0)
      say('shadowed', b.id, `No visitor can reach this branch: branch ${before + 1} already takes them all.`);
    if (contradicts(b.when))
      say('contradiction', b.id, 'No visitor can match: two conditions exclude each other.');
    for (const sub of new Set(leavesOf(b.when).flatMap((l) => subOf(l.on) ?? [])))
      if (!subs.includes(sub))
        say(
          'unknown_sub',
          b.id,
          `The source sends no sub-ID “${sub}”, so it is always unknown. Add it to the source, or choose another condition.`,
        );
    waysFindings(b, b.id);
    const countries = countriesAsked(b.when);
    for (const p of b.pairings)
      for (const offerId of p.offerIds) {
        const open = countriesOf(offerId);
        const closed = countries.filter(
          (c) => c !== '' && open.length > 0 && !open.includes(c.toUpperCase()),
        );
        if (closed.length > 0)
          say('country_closed', b.id, `The offer doesn’t sell in ${closed.join(', ')}.`, p.id);
      }
  });
  waysFindings(routing.otherwise, '');
  return found;

  function waysFindings(way: Way, branchId: string): void {
    if (sharesOf(way).every((share) => share === 0))
      say('no_weight', branchId, 'Every pairing is off or has weight 0, so visitors go to the fallback.');
    if (isUnlike(way, eventTypesOf))
      say(
        'unlike_events',
        branchId,
        'These offers pay for different event types, so the automatic split compares conversions of unlike value. Split by weight, or compare offers that pay for the same event types.',
      );
    for (const { id, landingPageId, offerIds } of way.pairings) {
      if ([landingPageId, ...offerIds].some((part) => part !== '' && leadsBack(part)))
        say(
          'loop',
          branchId,
          'This leads back to one of your tracking domains, so visitors would go in a circle.',
          id,
        );
      const [offers, buttons] = [offerIds.length, landingPageId === '' ? 1 : buttonsOf(landingPageId)];
      if (offers > buttons)
        say(
          'buttons',
          branchId,
          `The page has ${buttons} ${buttons === 1 ? 'button' : 'buttons'}, so no button leads to offer ${offers}.`,
          id,
        );
      else if (offers > 1 && offers < buttons)
        say(
          'buttons',
          branchId,
          `Button ${offers + 1} has no offer of its own, so it leads to the first open offer.`,
          id,
        );
    }
  }
}

/** Offers of an automatic split that name event types, and not the same ones. */
function isUnlike(way: Way, eventTypesOf: RoutedRecords['eventTypesOf']): boolean {
  if (way.split !== 'automatic') return false;
  const offers = way.pairings.filter((p) => p.isOn).flatMap((p) => p.offerIds);
  const named = offers
    .map((id) => [...new Set(eventTypesOf(id))].sort().join())
    .filter((types) => types !== '');
  return new Set(named).size > 1;
}

const isWhole = (c: Condition): boolean => leavesOf(c).every((l) => l.values.length > 0);

/** Conditions that must all hold; null where the tree is more than a list of them. */
function listOf(c: Condition): ConditionLeaf[] | null {
  if ('on' in c) return [c];
  if (!('all' in c)) return null;
  const parts = c.all.map(listOf);
  return parts.some((p) => p === null) ? null : parts.flatMap((p) => p!);
}

/** True only where it is certain: whoever matches `narrow` matches `wide`. */
export function implies(narrow: Condition, wide: Condition): boolean {
  if ('any' in wide) return wide.any.some((w) => implies(narrow, w));
  const [a, b] = [listOf(narrow), listOf(wide)];
  if (a === null || b === null) return JSON.stringify(narrow) === JSON.stringify(wide);
  return b.every((w) =>
    a.some(
      (n) =>
        n.on === w.on &&
        n.op === w.op &&
        n.zone === w.zone &&
        (n.op === 'is' || n.op === 'contains' || n.op === 'within' || n.op === 'matches'
          ? n.values.every((v) => w.values.includes(v))
          : JSON.stringify(n.values) === JSON.stringify(w.values)),
    ),
  );
}

/** True when two conditions ask the same field for different values, or one excludes every value that another asks for. */
function contradicts(c: Condition): boolean {
  // One visitor can have seen several offers.
  const list = allOf(c).flatMap((one) =>
    'on' in one && one.op === 'is' && one.on !== SEEN_OFFER ? [one] : [],
  );
  const excluded = allOf(c).flatMap((one) =>
    'not' in one && 'on' in one.not && one.not.op === 'is' ? [one.not] : [],
  );
  const isExcluded = list.some((a) =>
    excluded.some((n) => a.on === n.on && a.zone === n.zone && a.values.every((v) => n.values.includes(v))),
  );
  if (isExcluded) return true;
  return list.some((a, i) =>
    list
      .slice(i + 1)
      .some((b) => a.on === b.on && a.zone === b.zone && !a.values.some((v) => b.values.includes(v))),
  );
}

/** The conditions that must all hold, with those of nested *all* lists. */
const allOf = (c: Condition): Condition[] => ('all' in c ? c.all.flatMap(allOf) : [c]);

/** Countries that the branch names outright. */
function countriesAsked(c: Condition): string[] {
  return (listOf(c) ?? []).filter((l) => l.on === 'country' && l.op === 'is').flatMap((l) => l.values);
}
