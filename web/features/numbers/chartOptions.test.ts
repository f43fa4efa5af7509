import { describe, expect, it } from '@jest/globals';
import type { Figures } from '@tracheon/core/contract';
import {
  canStack,
  drawnFigure,
  drawnUnit,
  heatOption,
  inWords,
  linesOption,
  type Looks,
} from './chartOptions.ts';

const looks: Looks = {
  ink: 'ink',
  quiet: 'quiet',
  hairline: 'hairline',
  sheet: 'sheet',
  gain: 'gain',
  loss: 'loss',
  colours: ['one', 'two'],
};

describe('a figure to draw', () => {
  it('is in units, percent or as it is, and nothing where it is empty', () => {
    const figures = { spentMicros: '1234567', cr: 0.02, visits: 7, roi: null } as unknown as Figures;
    expect(drawnFigure('spentMicros', figures)).toBe(1.2346);
    expect(drawnFigure('cr', figures)).toBe(2);
    expect(drawnFigure('visits', figures)).toBe(7);
    expect([drawnFigure('roi', figures), drawnFigure('visits', undefined)]).toEqual([null, null]);
    expect(['spentMicros', 'cr', 'visits'].map((f) => drawnUnit(f as 'cr', 'EUR'))).toEqual(['EUR', '%', '']);
  });
  it('is stacked only where it adds up', () => {
    expect((['spentMicros', 'visits', 'cr', 'roi', 'paidPerVisitMicros'] as const).map(canStack)).toEqual([
      true,
      true,
      false,
      false,
      false,
    ]);
  });
});

it('lines keep gaps, and series beyond the colours are told apart by dashes', () => {
  const series = ['a', 'b', 'c'].map((name) => ({ name, values: [1, null] }));
  const option = linesOption({ places: ['x', 'y'], series, isStacked: false, unit: 'EUR' }, looks);
  expect(option.series.map((s) => [s.data, s.itemStyle.color, s.lineStyle.type])).toEqual([
    [[1, null], 'one', 'solid'],
    [[1, null], 'two', 'solid'],
    [[1, null], 'one', 'dashed'],
  ]);
  expect(linesOption({ places: [], series, isStacked: true, unit: '' }, looks).series[0]!.type).toBe('bar');
});

it('a heat map has two sides only where there is a loss', () => {
  const both = heatOption(
    new Map([
      ['1|00', -2],
      ['7|23', 1],
    ]),
    'EUR',
    looks,
  );
  expect([both.visualMap.min, both.visualMap.max, both.series[0]!.data]).toEqual([
    -2,
    2,
    [
      [0, 0, -2],
      [23, 6, 1],
    ],
  ]);
  expect(heatOption(new Map([['1|00', 3]]), '', looks).visualMap).toMatchObject({ min: 0, max: 3 });
  expect(heatOption(new Map(), '', looks).visualMap).toMatchObject({ min: 0, max: 1 });
});

it('says in words what it shows', () => {
  expect(
    inWords('visits', [
      { name: 'a', values: [1, null, 5] },
      { name: 'b', values: [null] },
    ]),
  ).toBe('a: Visits from 1 to 5; b: nothing');
});
