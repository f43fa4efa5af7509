/** What screens call the values that numbers are broken down by, and how a value that is missing or a weekday reads. */
import { dimensions, groupingOf, SUB_PREFIX, timeGroupings } from '@tracheon/core/metrics';

export function groupingLabel(name: string): string {
  const grouping = groupingOf(name);
  if (!grouping) return name;
  if (grouping.kind === 'sub') return `Sub-ID ${grouping.sub}`;
  return grouping.kind === 'time' ? timeGroupings[grouping.time].label : grouping.dimension.label;
}

/** Sub-IDs first: they are what is cut and scaled. */
export function groupingChoices(subs: readonly string[]): { value: string; label: string }[] {
  const names = [
    ...subs.map((s) => `${SUB_PREFIX}${s}`),
    ...dimensions.map((d) => d.name),
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
