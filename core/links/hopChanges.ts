/** What one redirect did to the values that travel in an address: by name, and wherever a value went instead. */
import { decodePercent } from './query.ts';
import { splitLink } from './parts.ts';

export interface HopChange {
  name: string;
  value: string;
  /** `moved`: under another name; `changed`: another value under the same name; `dropped`: the value is gone. */
  what: 'moved' | 'changed' | 'dropped';
  /** The new name of what moved, the new value of what changed. */
  to: string;
}
/** Longer queries are no address of a campaign. */
const MAX_PAIRS = 100;

const pairsOf = (address: string): { name: string; value: string }[] =>
  (splitLink(address).pairs ?? [])
    .slice(0, MAX_PAIRS)
    .filter((pair) => pair.value !== '')
    .map(({ name, value }) => ({ name: decodePercent(name), value: decodePercent(value) }));

/** Compares the query of `from` with the whole of `to`. Parameters without a value are left out. */
export function hopChanges(from: string, to: string): HopChange[] {
  const there = pairsOf(to);
  const valueOf = new Map(there.map((p) => [p.name, p.value]));
  const nameOf = new Map(there.map((p) => [p.value, p.name]));
  return pairsOf(from).flatMap(({ name, value }): HopChange[] => {
    if (valueOf.get(name) === value) return [];
    const moved = nameOf.get(value);
    if (moved !== undefined) return [{ name, value, what: 'moved', to: moved }];
    // Also inside a longer value, or in the path.
    if (to.includes(value) || decodePercent(to).includes(value)) return [];
    const now = valueOf.get(name);
    return [
      now === undefined
        ? { name, value, what: 'dropped', to: '' }
        : { name, value, what: 'changed', to: now },
    ];
  });
}
