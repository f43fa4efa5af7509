/** Sub-IDs that a source names in its parameters, in their order. */
import type { SourceInput } from '../contract/index.ts';

export const subsOf = ({ parameters }: Pick<SourceInput, 'parameters'>): string[] => [
  ...new Set(parameters.filter((p) => p.role === 'sub' && p.sub !== '').map((p) => p.sub)),
];
