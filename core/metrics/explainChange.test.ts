import { expect, it } from '@jest/globals';
import type { Figures } from '../contract/index.ts';
import { explainChange } from './explainChange.ts';

const figures = (profit: number, spent: number): Figures =>
  ({ profitMicros: String(profit * 1e6), spentMicros: String(spent * 1e6) }) as Figures;
/** Profit and cost, now and before. */
const row = (value: string, now: [number, number], before: [number, number] | null) => ({
  values: [value],
  names: [value.toUpperCase()],
  figures: figures(...now),
  before: before && figures(...before),
});

it('names the value whose part of the change is far above its part of the cost', () => {
  const sites = [row('a', [-30, 40], [0, 10]), row('b', [5, 100], [6, 100]), row('c', [10, 90], [9, 90])];
  const devices = [row('phone', [-14, 220], [15, 190]), row('desktop', [-1, 10], [0, 10])];
  expect(
    explainChange([
      { by: 'device', rows: devices },
      { by: 'sub_site', rows: sites },
    ]),
  ).toEqual({
    by: 'sub_site',
    value: 'a',
    name: 'A',
    change: -30_000_000n,
    share: 1,
  });
});

it('names none where all changed alike, nothing changed, or there is one value', () => {
  const alike = [row('a', [-10, 50], [0, 50]), row('b', [-10, 50], [0, 50]), row('c', [-10, 50], [0, 50])];
  expect(explainChange([{ by: 'sub_site', rows: alike }])).toBeNull();
  expect(
    explainChange([{ by: 'sub_site', rows: [row('a', [1, 1], [1, 1]), row('b', [2, 1], [2, 1])] }]),
  ).toBeNull();
  expect(explainChange([{ by: 'country', rows: [row('BE', [-10, 50], [0, 50])] }])).toBeNull();
});

it('finds what was there before and is gone, and what is new', () => {
  const gone = [row('old', [0, 0], [40, 20]), row('b', [5, 100], [6, 100])];
  expect(explainChange([{ by: 'sub_site', rows: gone }])).toMatchObject({
    value: 'old',
    change: -40_000_000n,
  });
  const fresh = [row('new', [-40, 40], null), row('b', [5, 100], [6, 100])];
  expect(explainChange([{ by: 'sub_site', rows: fresh }])).toMatchObject({ value: 'new' });
});
