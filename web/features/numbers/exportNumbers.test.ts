import { expect, it } from '@jest/globals';
import type { Figures } from '@tracheon/core/contract';
import { asCsv, asJson, type Exported } from './exportNumbers.ts';

const figures = {
  profitMicros: '-1500000',
  visits: 12,
  cr: 0.25,
  spentMicros: '1500000',
  roi: -1,
} as Figures;
const exported: Exported = {
  currency: 'EUR',
  rows: [
    { values: ['c1', '6'], names: ['Kites', '6'], figures, events: [], before: null, verdict: null },
    { values: ['c1', ''], names: ['Kites', ''], figures, events: [], before: null, verdict: null },
  ],
};

it('writes each combination as a row, amounts in units with their currency in the heading', () => {
  const [head, first, second] = asCsv(['campaign_id', 'weekday'], exported).split('\r\n');
  expect(head).toMatch(/^Campaign,Weekday,"Profit, EUR",ROI,ROAS,"Spent, EUR",/);
  expect(first).toMatch(/^Kites,Saturday,-1\.50,-1,,1\.50,/);
  expect(second).toMatch(/^Kites,,-1\.50,/);
});

it('writes values and names apart as JSON, and empty figures as null', () => {
  const { currency, rows } = JSON.parse(asJson(['campaign_id', 'weekday'], exported)) as {
    currency: string;
    rows: { values: object; names: object; figures: Record<string, unknown> }[];
  };
  expect([currency, rows[0]!.values, rows[0]!.names]).toEqual([
    'EUR',
    { campaign_id: 'c1', weekday: '6' },
    { campaign_id: 'Kites', weekday: '6' },
  ]);
  expect(rows[0]!.figures).toMatchObject({ profit: '-1.50', visits: 12, cr: 0.25, earned: null });
});
