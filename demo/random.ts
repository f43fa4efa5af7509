/** A seeded generator (mulberry32): the demo desk is the same each time but for its dates. */
export type Random = () => number;

export function seeded(seed: number): Random {
  let a = seed >>> 0;
  return () => {
    a = (a + 0x6d2b79f5) | 0;
    let t = Math.imul(a ^ (a >>> 15), 1 | a);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

export function weighted<T>(random: Random, list: readonly (readonly [T, number])[]): T {
  let at = random() * list.reduce((sum, [, w]) => sum + w, 0);
  for (const [value, weight] of list) if ((at -= weight) < 0) return value;
  return list.at(-1)![0];
}

/** Exponential delay with the given mean. */
export const delay = (random: Random, mean: number): number => -Math.log(1 - random()) * mean;
