/** A condition as one function: values in sets, patterns and ranges parsed, nothing looked up by name at a visit. */
import type { Condition, ConditionLeaf } from '../contract/index.ts';
import { localHourIn } from '../time/index.ts';
import { conditionField, HAS_CONVERTED, subOf, weekdays, YES } from '../visits/index.ts';
import { asCompared, compilePattern, compileRanges, cutValue, isVersionAtLeast } from './compare.ts';
import type { RoutingVisitor, VisitFacts } from './visitor.ts';

export type Holds = (visitor: RoutingVisitor) => boolean;

/** Throws on a pattern or a range that is none. `zone` is the desk's, for conditions that name none. */
export function compileCondition(condition: Condition, zone: string): Holds {
  if ('all' in condition) return every(condition.all.map((c) => compileCondition(c, zone)));
  if ('any' in condition) return some(condition.any.map((c) => compileCondition(c, zone)));
  if ('not' in condition) {
    const inner = compileCondition(condition.not, zone);
    return (visitor) => !inner(visitor);
  }
  return compileLeaf(condition, zone);
}

function every(list: readonly Holds[]): Holds {
  if (list.length === 1) return list[0]!;
  return (visitor) => {
    for (const holds of list) if (!holds(visitor)) return false;
    return true;
  };
}
function some(list: readonly Holds[]): Holds {
  if (list.length === 1) return list[0]!;
  return (visitor) => {
    for (const holds of list) if (holds(visitor)) return true;
    return false;
  };
}

const never: Holds = () => false;

function compileLeaf(leaf: ConditionLeaf, deskZone: string): Holds {
  const { on, op, values } = leaf;
  const field = conditionField(on);
  switch (field?.kind) {
    case undefined:
      return never;
    case 'address': {
      const isWithin = compileRanges(values);
      return (visitor) => isWithin(visitor.address);
    }
    case 'hour': {
      const at = localHourIn(leaf.zone || deskZone);
      const hours = new Set(values.map(Number));
      return (visitor) => hours.has(at(visitor.nowMs).hour);
    }
    case 'weekday': {
      const at = localHourIn(leaf.zone || deskZone);
      const days = new Set(values.map((v) => (weekdays as readonly string[]).indexOf(v)));
      return (visitor) => days.has(at(visitor.nowMs).weekday);
    }
    case 'flag': {
      const [yes, no] = [values.includes(YES), values.some((v) => v !== YES)];
      if (on === HAS_CONVERTED) return ({ history }) => (history?.().hasConverted ? yes : no);
      return (visitor) => (visitor.visit.isUnique ? yes : no);
    }
    case 'record': {
      const [read, ids] = [reader(on), new Set(values)];
      return (visitor) => ids.has(read(visitor.visit));
    }
    case 'offers':
      return ({ history }) => {
        const seen = history?.().offerIds;
        return seen !== undefined && values.some((id) => seen.has(id));
      };
    case 'amount': {
      const bound = BigInt(values[0]!);
      return op === 'at_least'
        ? ({ visit: { costMicros } }) => costMicros !== null && costMicros >= bound
        : ({ visit: { costMicros } }) => costMicros !== null && costMicros < bound;
    }
    case 'version':
      return op === 'is' ? compileText(leaf) : compileVersion(leaf);
    case 'text':
      return compileText(leaf);
  }
}

/** Values repeat: what was compared once is remembered, up to a bound. */
const MAX_REMEMBERED = 1000;

function remembering(compare: (value: string) => boolean): (value: string) => boolean {
  const known = new Map<string, boolean>();
  return (value) => {
    let found = known.get(value);
    if (found === undefined) {
      if (known.size >= MAX_REMEMBERED) known.clear();
      known.set(value, (found = compare(value)));
    }
    return found;
  };
}

function compileVersion({ on, op, values }: ConditionLeaf): Holds {
  const read = reader(on);
  const wanted = op === 'at_least';
  const compare = remembering((version) => isVersionAtLeast(version, values[0]!) === wanted);
  return ({ visit }) => compare(read(visit));
}

function compileText(leaf: ConditionLeaf): Holds {
  const read = reader(leaf.on);
  const isSub = subOf(leaf.on) !== null;
  const compare = textComparison(leaf, isSub);
  // A set of sub-IDs is as quick as what would be remembered, and sub-IDs have thousands of values.
  const quick = isSub && leaf.op === 'is' ? compare : remembering(compare);
  return ({ visit }) => quick(read(visit));
}

function textComparison({ op, values }: ConditionLeaf, byCase: boolean): (value: string) => boolean {
  if (op === 'matches') {
    const patterns = values.map(compilePattern);
    return (raw) => {
      const value = cutValue(raw);
      return patterns.some((matches) => matches(value));
    };
  }
  const wanted = values.map((v) => asCompared(v, byCase));
  if (op === 'contains')
    return (raw) => {
      const value = asCompared(cutValue(raw), byCase);
      return wanted.some((v) => value.includes(v));
    };
  const set = new Set(wanted);
  return (raw) => set.has(asCompared(cutValue(raw), byCase));
}

/** Field names are resolved here, once. */
function reader(on: string): (visit: VisitFacts) => string {
  const sub = subOf(on);
  if (sub !== null) return ({ subs }) => (Object.hasOwn(subs, sub) ? subs[sub]! : '');
  const field = conditionField(on)?.field as
    | Exclude<keyof VisitFacts, 'subs' | 'isUnique' | 'costMicros'>
    | undefined;
  return field === undefined ? () => '' : (visit) => visit[field];
}
