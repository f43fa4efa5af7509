/**
 * What a branch can ask of a visit: columns of the visit that are marked as conditions, named sub-IDs, and what is known only at
 * the moment of the visit. Each kind of field has its own comparisons.
 */
import {
  visitColumns,
  visitFields,
  type ConditionKind,
  type VisitColumn,
  type VisitField,
} from './columns.ts';

export interface ConditionField {
  /** As conditions name it; `sub_<name>` for a named sub-ID. */
  name: string;
  label: string;
  kind: ConditionKind;
  /** The column that holds it; absent for what is not in the row. */
  field?: VisitField;
}

export const conditionOps = ['is', 'contains', 'matches', 'at_least', 'below', 'within'] as const;
export type ConditionOp = (typeof conditionOps)[number];

/** Comparisons by kind; the first is the usual one. */
export const opsOf: Record<ConditionKind, readonly ConditionOp[]> = {
  text: ['is', 'contains', 'matches'],
  version: ['is', 'at_least', 'below'],
  amount: ['at_least', 'below'],
  flag: ['is'],
  record: ['is'],
  offers: ['is'],
  address: ['within'],
  hour: ['is'],
  weekday: ['is'],
};

export const YES = 'yes';
export const NO = 'no';
/** Weeks begin on Monday. */
export const weekdays = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'] as const;

/** Known of a visitor by its cookie alone: whether an earlier visit converted, and the offers that earlier visits went to. */
export const HAS_CONVERTED = 'has_converted';
export const SEEN_OFFER = 'seen_offer';

const ofVisit: ConditionField[] = visitFields.flatMap((field) => {
  const { name, condition } = visitColumns[field] as VisitColumn<unknown>;
  return condition === undefined ? [] : [{ name, field, ...condition }];
});
const ofMoment: ConditionField[] = [
  { name: 'address', label: 'IP address', kind: 'address' },
  { name: 'hour', label: 'Hour', kind: 'hour' },
  { name: 'weekday', label: 'Weekday', kind: 'weekday' },
  { name: HAS_CONVERTED, label: 'Has converted', kind: 'flag' },
  { name: SEEN_OFFER, label: 'Has seen offer', kind: 'offers' },
];
export const conditionFields: readonly ConditionField[] = [...ofVisit, ...ofMoment];
const byName = new Map(conditionFields.map((f) => [f.name, f]));

const SUB_PREFIX = 'sub_';
/** The name of the sub-ID; null for every other field. */
export const subOf = (name: string): string | null =>
  name.startsWith(SUB_PREFIX) && name.length > SUB_PREFIX.length ? name.slice(SUB_PREFIX.length) : null;

/** Undefined for a name that no field has. */
export function conditionField(name: string): ConditionField | undefined {
  const sub = subOf(name);
  return sub === null ? byName.get(name) : { name, label: sub, kind: 'text' };
}
