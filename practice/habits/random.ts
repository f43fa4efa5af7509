/** Draws that the practice partners and the demo desk share. `random` gives numbers from 0 up to 1. */
export type Random = () => number;

export function weighted<T>(random: Random, list: readonly (readonly [T, number])[]): T {
  let at = random() * list.reduce((sum, [, w]) => sum + w, 0);
  for (const [value, weight] of list) if ((at -= weight) < 0) return value;
  return list.at(-1)![0];
}

/** Exponential delay with the given mean. */
export const delay = (random: Random, mean: number): number => -Math.log(1 - random()) * mean;
