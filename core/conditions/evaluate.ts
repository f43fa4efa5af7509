/**
 * The plain evaluator: reads the condition anew each time and is easy to follow. It is the reference; what is compiled for
 * visits must agree with it on every condition and visitor.
 */
import type { Condition, ConditionLeaf } from '../contract/index.ts';
import { localHourIn } from '../time/index.ts';
import { conditionField, HAS_CONVERTED, subOf, weekdays, YES } from '../visits/index.ts';
import { asCompared, compilePattern, compileRanges, cutValue, isVersionAtLeast } from './compare.ts';
import type { RoutingVisitor } from './visitor.ts';

/** `zone` is the desk's, for conditions that name none. */
export function holds(condition: Condition, visitor: RoutingVisitor, zone: string): boolean {
  if ('all' in condition) return condition.all.every((c) => holds(c, visitor, zone));
  if ('any' in condition) return condition.any.some((c) => holds(c, visitor, zone));
  if ('not' in condition) return !holds(condition.not, visitor, zone);
  return leafHolds(condition, visitor, zone);
}

function leafHolds(leaf: ConditionLeaf, visitor: RoutingVisitor, deskZone: string): boolean {
  const { on, op, values } = leaf;
  const field = conditionField(on);
  switch (field?.kind) {
    case undefined:
      return false;
    case 'address':
      return compileRanges(values)(visitor.address);
    case 'hour':
      return values.includes(String(localHourIn(leaf.zone || deskZone)(visitor.nowMs).hour));
    case 'weekday':
      return values.includes(weekdays[localHourIn(leaf.zone || deskZone)(visitor.nowMs).weekday]!);
    case 'flag':
      return values.some((v) => (v === YES) === flagOf(on, visitor));
    case 'record':
      return values.includes(textOf(on, visitor));
    case 'offers':
      return values.some((id) => visitor.history?.().offerIds.has(id) ?? false);
    case 'amount': {
      const cost = visitor.visit.costMicros;
      if (cost === null) return false;
      return op === 'at_least' ? cost >= BigInt(values[0]!) : cost < BigInt(values[0]!);
    }
    case 'version':
      if (op === 'is') return textHolds(leaf, visitor);
      return isVersionAtLeast(textOf(on, visitor), values[0]!) === (op === 'at_least');
    case 'text':
      return textHolds(leaf, visitor);
  }
}

function textHolds({ on, op, values }: ConditionLeaf, visitor: RoutingVisitor): boolean {
  const raw = cutValue(textOf(on, visitor));
  if (op === 'matches') return values.some((pattern) => compilePattern(pattern)(raw));
  const byCase = subOf(on) !== null;
  const value = asCompared(raw, byCase);
  return values.some((v) =>
    op === 'contains' ? value.includes(asCompared(v, byCase)) : value === asCompared(v, byCase),
  );
}

const flagOf = (on: string, { visit, history }: RoutingVisitor): boolean =>
  on === HAS_CONVERTED ? (history?.().hasConverted ?? false) : visit.isUnique;

function textOf(on: string, { visit }: RoutingVisitor): string {
  const sub = subOf(on);
  if (sub !== null) return Object.hasOwn(visit.subs, sub) ? visit.subs[sub]! : '';
  const field = conditionField(on)?.field as keyof typeof visit | undefined;
  const value = field === undefined ? '' : visit[field];
  return typeof value === 'string' ? value : '';
}
