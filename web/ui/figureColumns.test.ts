import { expect, it } from '@jest/globals';
import { addFigures, figureDefinitions, figureNames, figures, noVisits } from '@tracheon/core/metrics';
import { figureColumns, figureText } from './figureColumns.ts';

const nothing = addFigures([]);
const some = figures(
  { visits: { ...noVisits, visits: 3, spent: 1_500_000n }, conversions: [], unconverted: [] },
  () => ({ basis: '', approved: 0, decided: 0 }),
);
const withoutCost = figures(
  { visits: { ...noVisits, visits: 3, withoutCost: 3 }, conversions: [], unconverted: [] },
  () => ({ basis: '', approved: 0, decided: 0 }),
);

it('every figure has a column with a heading of its own, its meaning, and a text', () => {
  const columns = figureColumns(figureNames, () => some);
  expect(columns.map((c) => c.key)).toEqual(figureNames);
  expect(new Set(columns.map((c) => c.label)).size).toBe(figureNames.length);
  for (const name of figureNames) {
    expect(figureText(name, some)).not.toMatch(/undefined|null|NaN/);
    expect(figureDefinitions[name].meaning).toMatch(/^[A-Z].*\.$/);
  }
});

it('texts follow the unit; what is empty, and what is not known, are told apart', () => {
  expect(
    ['spentMicros', 'visits', 'paidPerVisitMicros', 'roi'].map((n) =>
      figureText(n as never, some).replace(/\s/, ' '),
    ),
  ).toEqual(['1.50', '3', '0.5000', '−100 %']);
  expect([figureText('cr', nothing), figureText('visits', null)]).toEqual(['–', '–']);
  expect([figureText('roi', withoutCost), figureText('profitMicros', withoutCost)]).toEqual(['?', '?']);
});

it('sorts amounts as numbers, and what is empty below all', () => {
  const [column] = figureColumns<typeof some | null>(['spentMicros'], (f) => f);
  const order = [some, null, nothing].map((f) => column!.sort!(f));
  expect(order).toEqual([1_500_000n, -Infinity, 0n]);
  expect(Number(order[1])).toBeLessThan(Number(order[2]));
});
