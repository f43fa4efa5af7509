/** What screens call the values that numbers are broken down by, and how a value that is missing or a weekday reads. */
import { dimensions, EXTRA_PREFIX, groupingOf, SUB_PREFIX, timeGroupings } from '@tracheon/core/metrics';

export function groupingLabel(name: string): string {
  const grouping = groupingOf(name);
  if (!grouping) return name;
  if (grouping.kind === 'sub') return `Sub-ID ${grouping.sub}`;
  if (grouping.kind === 'extra') return `Extra ${grouping.extra}`;
  return grouping.kind === 'time' ? timeGroupings[grouping.time].label : grouping.dimension.label;
}

export interface NamedValues {
  subs: readonly string[];
  /** Of conversions. */
  extras: readonly string[];
}
/** Sub-IDs first: they are what is cut and scaled. */
export function groupingChoices({ subs, extras }: NamedValues): { value: string; label: string }[] {
  const names = [
    ...subs.map((s) => `${SUB_PREFIX}${s}`),
    ...dimensions.map((d) => d.name),
    ...extras.map((x) => `${EXTRA_PREFIX}${x}`),
    ...Object.keys(timeGroupings),
  ];
  return names.map((value) => ({ value, label: groupingLabel(value) }));
}

const weekdays = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];

/** A value as it reads in the table. */
export function valueText(groupingName: string, name: string): string {
  if (name === '') return 'no value';
  if (groupingName === 'weekday') return weekdays[Number(name) - 1] ?? name;
  return groupingName === 'hour' ? `${name}:00` : name;
}
