import { expect, it } from '@jest/globals';
import type { Figures, OwnFigure } from '@tracheon/core/contract';
import { morePlain, moreFigures, moreText } from './moreFigures.ts';

const SALE = '01J0000000000000000000SA1E';
const own = (id: string, formula: string, format: OwnFigure['format'] = 'number'): OwnFigure => ({
  id,
  name: `Own ${id}`,
  formula,
  format,
  by: '',
  at: '',
});
const measured = {
  figures: { spentMicros: '12500000', profitMicros: '-2500000', visits: 100, bots: 25, roi: null } as Figures,
  events: [{ eventTypeId: SALE, count: 4, revenueMicros: '10000000', partnerMicros: '4000000' }],
};

it('are the desk’s own first, then five of each event type', () => {
  const all = moreFigures(
    [{ id: SALE, name: 'Sale' }],
    [
      own('1', 'spent / visits'),
      own('2', 'bots / visits', 'percent'),
      own('3', 'no such figure'),
      own('4', 'roi * 2'),
    ],
  );
  expect(all.map((f) => [f.label, moreText(f, measured), morePlain(f, measured)])).toEqual([
    ['Own 1', '0.13', '0.125'],
    ['Own 2', '25.00\u202f%', '0.25'],
    ['Own 4', '–', ''],
    ['Sale', '4', '4'],
    ['Sale: revenue', '10.00', '10'],
    ['Sale: rate', '4.00\u202f%', '0.04'],
    ['Sale: cost per', '3.13', '3.125'],
    ['Sale: margin', '6.00', '6'],
  ]);
  expect(all.map((f) => f.name).slice(2, 4)).toEqual(['own_4', `event_${SALE}_count`]);
});
