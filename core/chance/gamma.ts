/** One draw from a gamma distribution of this shape and scale 1, by Marsaglia and Tsang (2000). `shape` is above 0. */
export function drawGamma(shape: number, random: () => number): number {
  // A small shape is drawn one higher and pulled back (their section 6).
  if (shape < 1) return drawGamma(shape + 1, random) * Math.max(random(), Number.MIN_VALUE) ** (1 / shape);
  const d = shape - 1 / 3;
  const c = 1 / Math.sqrt(9 * d);
  for (;;) {
    const x = drawNormal(random);
    const v = (1 + c * x) ** 3;
    if (v <= 0) continue;
    const u = random();
    if (u < 1 - 0.0331 * x ** 4 || Math.log(u) < 0.5 * x * x + d * (1 - v + Math.log(v))) return d * v;
  }
}

/** One draw from the standard normal distribution, by Box and Muller. */
function drawNormal(random: () => number): number {
  const radius = Math.sqrt(-2 * Math.log(Math.max(random(), Number.MIN_VALUE)));
  return radius * Math.cos(2 * Math.PI * random());
}
