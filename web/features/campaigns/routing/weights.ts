/** Weights of a split as shares of one bar: what dragging a border between two of them makes of them. */

/** A bar is dragged in steps of one percent. */
const WHOLE = 100;

/** As whole numbers that add up to 100, so that one step is one percent; what is above zero stays above zero. */
export function asPercents(weights: readonly number[]): number[] {
  const total = weights.reduce((sum, w) => sum + w, 0);
  if (total <= 0) return [...weights];
  const exact = weights.map((w) => (WHOLE * w) / total);
  const whole = exact.map((e) => (e > 0 ? Math.max(1, Math.floor(e)) : 0));
  // Largest remainder first, and the largest share gives what was lent to the smallest.
  const order = exact.map((e, i) => [e - Math.floor(e), i] as const).sort(([a], [b]) => b - a);
  let left = WHOLE - whole.reduce((sum, w) => sum + w, 0);
  for (let n = 0; left > 0; n = (n + 1) % order.length) {
    const at = order[n]![1];
    if (whole[at]! > 0) [whole[at]!, left] = [whole[at]! + 1, left - 1];
  }
  while (left < 0) {
    const at = whole.indexOf(Math.max(...whole));
    [whole[at]!, left] = [whole[at]! - 1, left + 1];
  }
  return whole;
}

/** Moves the border between two shares by whole percents; each keeps at least one. The others stay. */
export function moveBorder(weights: readonly number[], before: number, after: number, by: number): number[] {
  const percents = asPercents(weights);
  const both = percents[before]! + percents[after]!;
  const next = Math.min(both - 1, Math.max(1, percents[before]! + Math.round(by)));
  percents[before] = next;
  percents[after] = both - next;
  return percents;
}
