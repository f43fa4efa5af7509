/** A branch's condition as rows of an editor: a list of comparisons, each perhaps turned round, and groups that it keeps as they are. */
import type { Condition, ConditionLeaf } from '@tracheon/core/contract';
import { conditionField, conditionFields, NO, opsOf, weekdays, YES } from '@tracheon/core/visits';

export interface ConditionRow {
  isNot: boolean;
  /** null for a group, which is shown in words and stays as it is. */
  leaf: ConditionLeaf | null;
  group: Condition | null;
}
export interface EditedCondition {
  by: 'all' | 'any';
  rows: ConditionRow[];
}

const rowOf = (c: Condition): ConditionRow => {
  if ('on' in c) return { isNot: false, leaf: c, group: null };
  if ('not' in c && 'on' in c.not) return { isNot: true, leaf: c.not, group: null };
  return { isNot: false, leaf: null, group: c };
};

export function readCondition(c: Condition): EditedCondition {
  if ('all' in c) return { by: 'all', rows: c.all.map(rowOf) };
  if ('any' in c) return { by: 'any', rows: c.any.map(rowOf) };
  return { by: 'all', rows: [rowOf(c)] };
}

export function writeCondition({ by, rows }: EditedCondition): Condition {
  const list = rows.map(({ isNot, leaf, group }): Condition => {
    if (leaf === null) return group!;
    return isNot ? { not: leaf } : leaf;
  });
  return by === 'all' ? { all: list } : { any: list };
}

const DAYS: Record<(typeof weekdays)[number], string> = {
  mon: 'Monday',
  tue: 'Tuesday',
  wed: 'Wednesday',
  thu: 'Thursday',
  fri: 'Friday',
  sat: 'Saturday',
  sun: 'Sunday',
};
type Choices = readonly { value: string; label: string }[];
export const weekdayChoices: Choices = weekdays.map((value) => ({ value, label: DAYS[value] }));
const oclock = (hour: number): string => `${String(hour).padStart(2, '0')}:00`;
export const hourChoices: Choices = Array.from({ length: 24 }, (_, h) => ({
  value: String(h),
  label: `${oclock(h)} – ${oclock(h + 1)}`,
}));
const flagWords: Record<string, [yes: string, no: string]> = { is_unique: ['unique', 'returning'] };
export function flagChoicesOf(on: string): { value: string; label: string }[] {
  const [yes, no] = flagWords[on] ?? ['yes', 'no'];
  return [
    { value: YES, label: yes },
    { value: NO, label: no },
  ];
}

/** A comparison to begin with, for a field that was just chosen. */
export function newLeaf(on: string): ConditionLeaf {
  const kind = conditionField(on)?.kind ?? 'text';
  return { on, op: opsOf[kind][0]!, values: kind === 'flag' ? [YES] : [], zone: '' };
}

/** Fields to choose from: named sub-IDs of the source first, then what every visit has. A campaign has one source already. */
export const fieldChoices = (subs: readonly string[]): { value: string; label: string }[] => [
  ...subs.map((s) => ({ value: `sub_${s}`, label: `sub-ID ${s}` })),
  ...conditionFields.filter((f) => f.name !== 'source_id').map((f) => ({ value: f.name, label: f.label })),
];
