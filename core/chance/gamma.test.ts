import { expect, it } from '@jest/globals';
import { drawGamma, seededRandom, seedOf } from './index.ts';

it('draws have the mean and the variance of their shape', () => {
  for (const shape of [0.3, 1, 2.5, 40, 900]) {
    const random = seededRandom(7);
    const draws = Array.from({ length: 40_000 }, () => drawGamma(shape, random));
    const mean = draws.reduce((sum, x) => sum + x, 0) / draws.length;
    const variance = draws.reduce((sum, x) => sum + (x - mean) ** 2, 0) / draws.length;
    // Four standard errors of the mean; of a variance they are wider.
    expect(Math.abs(mean - shape)).toBeLessThan(4 * Math.sqrt(shape / draws.length));
    expect(Math.abs(variance / shape - 1)).toBeLessThan(0.15);
    expect(draws.every((x) => x >= 0 && Number.isFinite(x))).toBe(true);
  }
});

it('the same seed gives the same numbers, another seed others', () => {
  const take = (seed: number): number[] => Array.from({ length: 5 }, seededRandom(seed));
  expect(take(seedOf('kites'))).toEqual(take(seedOf('kites')));
  expect(take(seedOf('kites'))).not.toEqual(take(seedOf('lamps')));
});
