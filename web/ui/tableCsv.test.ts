import { expect, it } from '@jest/globals';
import type { Figures } from '@tracheon/core/contract';
import { figureColumns } from './figureColumns.ts';
import { csvOf } from './tableCsv.ts';

it('has amounts as plain numbers, and marks what a spreadsheet would take for a formula', () => {
  const figures = {
    profitMicros: '-22080000',
    cr: 0.0131,
    visits: 968,
    spentMicros: '22080001',
    roi: null,
  } as Figures;
  const rows = [
    { name: '=HYPERLINK("x")', figures },
    { name: '-2+3', figures },
  ];
  const columns = [
    { key: 'name', label: 'Site', sort: (r: (typeof rows)[number]) => r.name },
    ...figureColumns<(typeof rows)[number]>(
      ['profitMicros', 'roi', 'spentMicros', 'visits', 'cr'],
      (r) => r.figures,
    ),
  ];
  expect(csvOf(rows, columns).split('\r\n')).toEqual([
    'Site,Profit,ROI,Spent,Visits,CR',
    `"'=HYPERLINK(""x"")",-22.08,,22.080001,968,0.0131`,
    `"'-2+3",-22.08,,22.080001,968,0.0131`,
  ]);
});
