import { expect, it } from '@jest/globals';
import { failedCsv } from './failedCsv.ts';

it('gives each row back with its number and the reason, and nothing that a spreadsheet would run', () => {
  const rows = [{ n: 3, cells: ['a;b', '=1+1'], why: 'The status “x, y” is not mapped.' }];
  expect(failedCsv(['Click', 'Sum', 'Note'], rows)).toBe(
    `Click,Sum,Note,Row,Why\r\na;b,"'=1+1",,3,"The status “x, y” is not mapped."`,
  );
});
