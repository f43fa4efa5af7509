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
} from '@tracheon/core/visits';

/** Values by field name; what is missing or empty is unknown, an hour or a weekday is now's. */
export type Described = Record<string, string>;

/** In the order in which the branches ask. */
export const fieldsAsked = ({ branches }: Routing): string[] => [
  ...new Set(branches.flatMap((b) => leavesOf(b.when).map((l) => l.on))),
];

export function visitorOf(described: Described, nowMs: number, zone: string): RoutingVisitor {
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
    visit: { ...visit, subs } as unknown as RoutingVisitor['visit'],
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
