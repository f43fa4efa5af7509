/** Drawing a pairing by weight. Who draws gives the weights and the randomness; nothing here has any of its own. */

/** Place of the one drawn; −1 when no weight is above zero. `random` is in [0, 1). */
export function drawWeighted(weights: readonly number[], random: number): number {
  let total = 0;
  for (const w of weights) total += w;
  if (total <= 0) return -1;
  let left = random * total;
  let last = -1;
  for (let i = 0; i < weights.length; i++) {
    const w = weights[i]!;
    if (w <= 0) continue;
    last = i;
    left -= w;
    if (left < 0) return i;
  }
  // Rounding may leave a crumb behind the last one.
  return last;
}
