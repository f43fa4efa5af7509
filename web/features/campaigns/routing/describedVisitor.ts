/** A visitor as a member describes it in the rehearsal: by the fields that the routing asks for. */
import type { RoutingVisitor } from '@tracheon/core/conditions';
import { leavesOf, type Routing } from '@tracheon/core/contract';
import { momentAt } from '@tracheon/core/time';
import {
  conditionField,
  HAS_CONVERTED,
  SEEN_OFFER,
  subOf,
  unknownVisit,
  weekdays,
  YES,
  type TokenVisit,
} from '@tracheon/core/visits';

/** Values by field name; what is missing or empty is unknown, an hour or a weekday is now's. */
export type Described = Record<string, string>;

/** In the order in which the branches ask. */
export const fieldsAsked = ({ branches }: Routing): string[] => [
  ...new Set(branches.flatMap((b) => leavesOf(b.when).map((l) => l.on))),
];

/** `sourceId` is that of the campaign. */
export function visitorOf(
  described: Described,
  nowMs: number,
  zone: string,
  sourceId: string,
): RoutingVisitor {
  const visit: Record<string, unknown> = { ...unknownVisit, isUnique: described.is_unique !== 'no' };
  const subs: Record<string, string> = {};
  for (const [name, value] of Object.entries(described)) {
    const sub = subOf(name);
    const field = conditionField(name);
    if (sub !== null) subs[sub] = value;
    else if (field?.kind === 'amount')
      visit[field.field!] = /^\d+(\.\d+)?$/.test(value) ? BigInt(Math.round(Number(value) * 1e6)) : null;
    else if (field?.field && field.kind !== 'flag') visit[field.field] = value.trim();
  }
  const weekday = (weekdays as readonly string[]).indexOf(described.weekday ?? '');
  return {
    visit: { ...visit, sourceId, subs } as unknown as RoutingVisitor['visit'],
    address: (described.address ?? '').trim(),
    history: () => ({
      hasConverted: described[HAS_CONVERTED] === YES,
      offerIds: new Set([described[SEEN_OFFER] ?? '']),
    }),
    nowMs: momentAt(
      nowMs,
      zone,
      described.hour ? Number(described.hour) : null,
      weekday < 0 ? null : weekday,
    ),
  };
}

/** Shaped like a real one, and told from one at a glance. */
export const SAMPLE_CLICK_ID = '01SAMPLE0000000000000CLICK';
export const SAMPLE_SOURCE_CLICK_ID = 'sample-click';

/** The visit from which links and postbacks are filled on paper. */
export const sampleVisit = (
  { visit, nowMs }: RoutingVisitor,
  went: Pick<TokenVisit, 'branchId' | 'pairingId' | 'landingId' | 'offerId'>,
): TokenVisit => ({
  ...unknownVisit,
  ...visit,
  ...went,
  id: SAMPLE_CLICK_ID,
  atMs: nowMs,
  sourceClickId: SAMPLE_SOURCE_CLICK_ID,
  userAgent: '',
});
