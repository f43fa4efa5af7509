/** Sub-IDs that a source names in its parameters, in their order. */
import type { SourceInput } from '@tracheon/core/contract';

export const subsOf = ({ parameters }: Pick<SourceInput, 'parameters'>): string[] => [
  ...new Set(parameters.filter((p) => p.role === 'sub' && p.sub !== '').map((p) => p.sub)),
];

/** Where visits came from is what is cut most often. */
const FIRST_CHOICES = ['site', 'zone'];
/** The one that is looked at first; empty for a source that sends none. */
export const firstSub = (subs: readonly string[]): string =>
  FIRST_CHOICES.find((s) => subs.includes(s)) ?? subs[0] ?? '';
