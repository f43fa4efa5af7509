/** Conditions and weights as a buyer reads them. */
import type { Condition, ConditionLeaf, Pairing, Way } from '../contract/index.ts';
import { conditionField, HAS_CONVERTED, subOf, YES, type ConditionOp } from '../visits/index.ts';

/** Comparisons, and what they are when the condition is turned round. */
export const opWords: Record<ConditionOp, { is: string; not: string }> = {
  is: { is: 'is', not: 'is not' },
  contains: { is: 'contains', not: 'doesn’t contain' },
  matches: { is: 'matches', not: 'doesn’t match' },
  at_least: { is: 'is at least', not: 'is below or unknown' },
  below: { is: 'is below', not: 'is at least or unknown' },
  within: { is: 'is in', not: 'is not in' },
};

/** The name of a value: of a country by its code, of a record by its ID. */
export type ValueName = (field: string, value: string) => string;
const MOST_VALUES = 4;

export function conditionWords(condition: Condition, nameOf: ValueName): string {
  if ('all' in condition) return joined(condition.all, ' and ', nameOf);
  if ('any' in condition) return joined(condition.any, ' or ', nameOf);
  if ('not' in condition) {
    const inner = condition.not;
    if (!('on' in inner)) return `not (${conditionWords(inner, nameOf)})`;
    return leafWords(inner, true, nameOf);
  }
  return leafWords(condition, false, nameOf);
}

function joined(list: readonly Condition[], by: string, nameOf: ValueName): string {
  const words = list.map((c) => {
    const isGroup = ('all' in c && c.all.length > 1) || ('any' in c && c.any.length > 1);
    return isGroup ? `(${conditionWords(c, nameOf)})` : conditionWords(c, nameOf);
  });
  return words.join(by);
}

function leafWords({ on, op, values, zone }: ConditionLeaf, isNot: boolean, nameOf: ValueName): string {
  const field = conditionField(on);
  if (field?.kind === 'flag') {
    const isYes = values.includes(YES) && values.length === 1;
    if (on === HAS_CONVERTED) return isYes === isNot ? 'visitor has not converted' : 'visitor has converted';
    return isYes === isNot ? 'visitor is returning' : 'visitor is unique';
  }
  const list = listed(on, values, nameOf);
  if (field?.kind === 'offers') return `visitor has ${isNot ? 'not seen' : 'seen'} ${list}`;
  const label = subOf(on) ?? field?.label.toLowerCase() ?? on;
  return `${label} ${isNot ? opWords[op].not : opWords[op].is} ${list}${zone === '' ? '' : ` (${zone})`}`;
}

function listed(on: string, values: readonly string[], nameOf: ValueName): string {
  const named = values.slice(0, MOST_VALUES).map((v) => (v === '' ? 'unknown' : nameOf(on, v)));
  const more = values.length - named.length;
  return [...named, ...(more > 0 ? [`${more} more`] : [])].join(' or ') || '…';
}

/**
 * The share of each pairing that takes visitors, in percent; 0 for one that is off or has no weight. `odds` are those of an
 * automatic split, by pairing; it is even while there are none.
 */
export function sharesOf({ split, pairings }: Way, odds?: ReadonlyMap<string, number>): number[] {
  const weights = pairings.map((p: Pairing) => {
    const weight = Number.isFinite(p.weight) ? p.weight : 0;
    return !p.isOn || weight <= 0
      ? 0
      : split === 'weights'
        ? weight
        : split === 'automatic'
          ? (odds?.get(p.id) ?? 1)
          : 1;
  });
  const total = weights.reduce((sum, w) => sum + w, 0);
  return weights.map((w) => (total === 0 ? 0 : (100 * w) / total));
}
