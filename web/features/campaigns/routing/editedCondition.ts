/** A condition as rows of an editor: comparisons and groups, each perhaps turned round; a group is rows again. */
import type { Condition, ConditionLeaf } from '@tracheon/core/contract';
import { conditionField, conditionFields, NO, opsOf, weekdays, YES } from '@tracheon/core/visits';

export interface ConditionRow {
  isNot: boolean;
  /** null for a group. */
  leaf: ConditionLeaf | null;
  group: Condition | null;
}
export interface EditedCondition {
  by: 'all' | 'any';
  rows: ConditionRow[];
}

const rowOf = (c: Condition): ConditionRow => {
  if ('on' in c) return { isNot: false, leaf: c, group: null };
  if (!('not' in c)) return { isNot: false, leaf: null, group: c };
  return 'on' in c.not
    ? { isNot: true, leaf: c.not, group: null }
    : { isNot: true, leaf: null, group: c.not };
};

export function readCondition(c: Condition): EditedCondition {
  if ('all' in c) return { by: 'all', rows: c.all.map(rowOf) };
  if ('any' in c) return { by: 'any', rows: c.any.map(rowOf) };
  return { by: 'all', rows: [rowOf(c)] };
}

export function writeCondition({ by, rows }: EditedCondition): Condition {
  const list = rows.map(({ isNot, leaf, group }): Condition => {
    const inner = leaf ?? group!;
    return isNot ? { not: inner } : inner;
  });
  return by === 'all' ? { all: list } : { any: list };
}

/** How the rows of a group are joined, and whether the whole is turned round. */
export const groupChoices = [
  { value: 'all', label: 'all of these hold' },
  { value: 'any', label: 'one of these holds' },
  { value: '!all', label: 'not all of these hold' },
  { value: '!any', label: 'none of these holds' },
];

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
