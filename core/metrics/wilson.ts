/** How far a rate may be off. */

/** Of a standard normal distribution, for 95 %. */
const Z_95 = 1.959963984540054;

export interface Interval {
  low: number;
  high: number;
}

/** Interval of 95 % for a rate of `hits` in `of`, by Wilson (1927); null where there is nothing to go by. */
export function wilson(hits: number, of: number): Interval | null {
  if (of <= 0 || hits < 0 || hits > of) return null;
  const rate = hits / of;
  const z2 = Z_95 ** 2 / of;
  const middle = (rate + z2 / 2) / (1 + z2);
  const half = (Z_95 / (1 + z2)) * Math.sqrt((rate * (1 - rate)) / of + z2 / of / 4);
  // Rounding may leave a trace below 0 or above 1.
  return {
    low: hits === 0 ? 0 : Math.max(0, middle - half),
    high: hits === of ? 1 : Math.min(1, middle + half),
  };
}
