import { describe, expect, it } from '@jest/globals';
import { approvalRates, figures, noVisits } from '@tracheon/core/metrics';
import { changeWords, figureCells, holdNote } from './figureCells.ts';

const none = approvalRates([]);
const rates = approvalRates([{ offerId: 'o', networkId: 'n', eventTypeId: 'e', approved: 31, decided: 40 }]);
const hold = (by: typeof rates) =>
  figures(
    {
      visits: { ...noVisits, visits: 10, spent: 1_000_000n },
      unconverted: [],
      conversions: [
        {
          offerId: 'o',
          networkId: 'n',
          eventTypeId: 'e',
          status: 'pending',
          countsAsConversion: true,
          countsAsRevenue: true,
          estimated: 0n,
          partner: 0n,
          count: 2,
          amount: 20_000_000n,
        },
      ],
    },
    by,
  );
const cell = (label: string, f: ReturnType<typeof hold>) =>
  figureCells(f, 'EUR').find((c) => c.label === label)!;

describe('money on hold', () => {
  it('names the approval it is counted at, and how many decisions that rests on', () => {
    expect(holdNote(hold(rates))).toMatch(/^× 78\s*% approval, 40 decided$/);
    expect(holdNote(hold(none))).toBe('no decisions yet, counted in full');
  });
});

it('a cost that is not known shows as ?, and how many visits lack one', () => {
  const f = figures(
    { visits: { ...noVisits, visits: 3, withoutCost: 3 }, conversions: [], unconverted: [] },
    none,
  );
  expect(cell('Profit', f)).toMatchObject({ value: '?', note: 'cost not known', amount: null });
  expect(cell('ROI', f).value).toBe('?');
  expect(cell('Spent', f).note).toBe('3 visits without a cost');
});

it.each([
  [120, 100, '▲ 20'],
  [95, 100, '▼ 5.0'],
  [-50, -100, '▲ 50'],
  [100, 100, '= before'],
  [5, 0, ''],
  [null, 3, ''],
  [3, undefined, ''],
])('%p against %p: %p', (now, before, words) => {
  expect(changeWords(now, before).replace(/\s*%$/, '')).toBe(words);
});
