import { expect, it } from '@jest/globals';
import fc from 'fast-check';
import { figureComparisons, valueComparisons } from '@tracheon/core/contract';
import { figureNames } from '@tracheon/core/metrics';
import {
  figureFilterText,
  figureFilterWords,
  readFigureFilters,
  readValueFilters,
  typedFigure,
  valueFilterText,
  valueFilterWords,
} from './filters.ts';
import { moreFigures } from './moreFigures.ts';

it('come back from the link as they were', () => {
  const value = fc.string({ maxLength: 20 }).filter((s) => !s.includes('\n'));
  fc.assert(
    fc.property(
      fc.constantFrom('sub_a:b', 'sub_site', 'country', 'weekday'),
      fc.constantFrom(...valueComparisons),
      fc.array(value, { minLength: 1, maxLength: 3 }),
      (by, is, values) => {
        if (by === 'sub_a:b') return;
        expect(readValueFilters([valueFilterText({ by, is, values })])).toEqual([{ by, is, values }]);
      },
    ),
  );
  fc.assert(
    fc.property(
      fc.constantFrom(...figureNames),
      fc.constantFrom(...figureComparisons),
      fc.integer({ min: -1_000_000, max: 1_000_000 }),
      (figure, is, n) => {
        const filter = { figure, is, than: n / 1000 };
        expect(readFigureFilters([figureFilterText(filter)])).toEqual([filter]);
      },
    ),
  );
});

it('that can’t be read are left out', () => {
  expect(readValueFilters(['', 'nothing:is:x', 'sub_site:near:x', 'country:is:BE'])).toEqual([
    { by: 'country', is: 'is', values: ['BE'] },
  ]);
  expect(readFigureFilters(['visits', 'visits>', 'visits~3', 'constructor>1', 'visits>=3'])).toEqual([
    { figure: 'visits', is: '>=', than: 3 },
  ]);
});

it('read as a sentence would say them', () => {
  const named = (_: string, value: string): string => (value === 'c1' ? 'Kites' : value);
  expect(valueFilterWords({ by: 'campaign_id', is: 'is', values: ['c1'] }, named)).toBe('Campaign is Kites');
  expect(valueFilterWords({ by: 'weekday', is: 'not', values: ['6', '7'] }, named)).toBe(
    'Weekday is not Saturday or Sunday',
  );
  expect(valueFilterWords({ by: 'sub_site', is: 'contains', values: ['a', 'b', 'c'] }, named)).toBe(
    'Sub-ID site contains a or 2 more',
  );
  expect(figureFilterWords({ figure: 'cr', is: '<', than: 0.021 }, [])).toBe('CR < 2.1 %');
  expect(figureFilterWords({ figure: 'spentMicros', is: '>=', than: 20 }, [])).toBe('Spent ≥ 20');
  const id = '01J00000000000000000000001';
  const more = moreFigures([{ id, name: 'Lead' }], []);
  const [filter] = readFigureFilters([`event_${id}_rate>0.05`]);
  expect(figureFilterWords(filter!, more)).toBe('Lead: rate > 5 %');
  expect(typedFigure(filter!.figure, 5, more)).toBe(0.05);
  // Deleted since the view was saved.
  expect(figureFilterWords({ figure: `own_${id}`, is: '>', than: 1 }, more)).toBe(
    'A figure that is gone > 1',
  );
});
