import { describe, expect, it } from '@jest/globals';
import { networkInput } from '../contract/index.ts';
import { parseQuery } from '../links/index.ts';
import { asIsoDate, guessDates } from '../time/index.ts';
import { guessTargets, rowAsQuery } from './index.ts';

const network = networkInput.parse({
  name: 'Larkspur CPA',
  fields: { transaction: { macro: '#lkref#', parameter: '' } },
});
const ID = '01M8CDEEANGYE2HV482HMFF4YC';

describe('what columns mean', () => {
  it('is guessed by the network’s names, by usual ones, and by click IDs wherever they stand', () => {
    const header = ['Date', 'lkref', 'S2', 'Commission', 'Status', 'Comment'];
    expect(guessTargets(header, [['2026-11-24', 'A', ID, '4.00', 'ok', '']], network)).toEqual([
      'conversion_time',
      'transaction',
      'click_id',
      'payout',
      'status',
      '',
    ]);
  });
  it('is given once', () => {
    expect(guessTargets(['Amount', 'Payout', 'amount'], [], undefined)).toEqual(['', 'payout', '']);
  });
});

describe('a date in a file', () => {
  it.each([
    ['24.11.2026 9:05', 'dmy', '2026-11-24T09:05:00'],
    ['11/24/2026', 'mdy', '2026-11-24'],
    ['24-11-2026, 23:59:58', 'dmy', '2026-11-24T23:59:58'],
    ['2026-11-24 09:05', 'dmy', '2026-11-24 09:05'],
    ['24.11.2026', 'ymd', '24.11.2026'],
    ['soon', 'dmy', 'soon'],
  ] as const)('%s as %s is %s', (text, order, iso) => {
    expect(asIsoDate(text, order)).toBe(iso);
  });
});

it('the order of dates is told by what can be no month, or by dots; else it is left open', () => {
  expect(guessDates(['11/24/2026', '11/10/2026'])).toBe('mdy');
  expect(guessDates(['10/11/2026', '24/11/2026'])).toBe('dmy');
  expect(guessDates(['01.02.2026 08:00'])).toBe('dmy');
  expect([guessDates(['10/11/2026']), guessDates(['2026-11-24']), guessDates([])]).toEqual([
    null,
    null,
    null,
  ]);
});

it('one row becomes a query in our names, whatever stands in its cells', () => {
  const query = rowAsQuery([ID, ' =cmd|x&y ', '', '24.11.2026', 'Brindle'], {
    targets: ['click_id', 'transaction', 'payout', 'conversion_time', 'x_brand'],
    dates: 'dmy',
  });
  expect(Object.fromEntries(parseQuery(query).values)).toEqual({
    click_id: ID,
    transaction: '=cmd|x&y',
    conversion_time: '2026-11-24',
    x_brand: 'Brindle',
  });
});
