import { expect, it } from '@jest/globals';
import type { Figures } from '../contract/index.ts';
import { anyFigure, figuresBehind } from './anyFigure.ts';
import { eventFigureName, ownFigureName } from './eventFigures.ts';
import { readFormula, type Formula } from './formula.ts';

const SALE = '01J00000000000000000000001';
const formula = (text: string): Formula => {
  const read = readFormula(text);
  if (!read.ok) throw new Error(read.message);
  return read.formula;
};
const own = new Map([
  ['a', formula('spent / visits')],
  ['b', formula('profit / (visits - visits)')],
]);
const row = {
  figures: { visits: 40, spentMicros: '6000000', profitMicros: '-1500000', roi: null } as Figures,
  events: [{ eventTypeId: SALE, count: 2, revenueMicros: '4500000', partnerMicros: '0' }],
};

it('has a value for a figure of every kind, amounts in whole units', () => {
  const of = (name: string): number | null => anyFigure(name, row, own);
  expect([of('visits'), of('spentMicros'), of('roi')]).toEqual([40, 6, null]);
  expect(of(eventFigureName({ eventTypeId: SALE, kind: 'revenue' }))).toBe(4.5);
  expect(of(ownFigureName('a'))).toBe(0.15);
  // Divided by nothing, and gone.
  expect([of(ownFigureName('b')), of(ownFigureName('c'))]).toEqual([null, null]);
  expect(() => of('bots')).toThrow('bots was not asked for');
});

it('names the figures of the registry that values are made of', () => {
  const names = ['bots', ownFigureName('a'), eventFigureName({ eventTypeId: SALE, kind: 'rate' })];
  expect([...figuresBehind(names, own)].sort()).toEqual(['bots', 'profitMicros', 'spentMicros', 'visits']);
});
