import { describe, expect, it } from '@jest/globals';
import { feedInput, type FeedInput } from '../contract/index.ts';
import { areFinal, entriesOf, fieldsOf, pageOf, readJson } from './readAnswer.ts';

const [search, click] = ['01J0000000000000000000000A', '01J0000000000000000000000B'];
const feed = (more: object = {}): FeedInput =>
  feedInput.parse({
    name: 'Copperleaf, main',
    networkId: '01J0000000000000000000000N',
    url: 'https://api.copperleaf.example/report?day={day}',
    rowsAt: 'data.rows',
    slotAt: 'sub.two',
    counters: [
      { amountAt: 'revenue.search', eventTypeId: search },
      { amountAt: 'revenue.click', eventTypeId: click },
    ],
    fromDay: '2026-11-01',
    ...more,
  });
const answer = readJson(
  `{"data":{"rows":[{"sub":{"two":" 01ARZ "},"revenue":{"search":1.230000,"click":"0.5"}},{"sub":{},"revenue":{"search":2}}]},"total":{"rows":2,"sum":3.73},"state":"final","next":"/p2"}`,
);

describe('an answer', () => {
  it('tells its rows, its own totals, whether it is final, and where the next page is', () => {
    const page = pageOf(
      feed({
        countAt: 'total.rows',
        sumAt: 'total.sum',
        finals: 'field',
        finalAt: 'state',
        finalWord: 'final',
        paging: 'next',
        nextAt: 'next',
      }),
      answer,
    );
    expect(page).toMatchObject({ statedCount: 2, statedSum: 3_730_000n, isFinal: true, next: '/p2' });
    expect(page.rows).toHaveLength(2);
  });
  it('tells one amount for each event type, without losing digits; rows without a click ID are counted', () => {
    expect(entriesOf(feed(), pageOf(feed(), answer).rows)).toEqual({
      entries: [
        { key: '01ARZ', eventTypeId: search, amount: 1_230_000n, currency: 'USD' },
        { key: '01ARZ', eventTypeId: click, amount: 500_000n, currency: 'USD' },
      ],
      sum: 3_730_000n,
      withoutKey: { rows: 1, amount: 2_000_000n },
    });
  });
  it('may say of each row whether it is final', () => {
    const byRow = feed({ finals: 'field', finalAt: 'state', finalWord: 'closed' });
    expect(areFinal(byRow, [{ state: 'closed' }, { state: 'closed' }])).toBe(true);
    expect(areFinal(byRow, [{ state: 'closed' }, { state: 'open' }])).toBe(false);
    expect(areFinal(byRow, [])).toBe(false);
  });
  it('shows its fields to pick from', () => {
    expect(fieldsOf(pageOf(feed(), answer).rows[0])).toEqual([
      { at: 'sub.two', value: ' 01ARZ ' },
      { at: 'revenue.search', value: '1.230000' },
      { at: 'revenue.click', value: '0.5' },
    ]);
  });
  it('that can’t be read is told in a sentence', () => {
    expect(() => readJson('<html>Sign in</html>')).toThrow('a web page instead of JSON');
    expect(() => readJson('{"data":[')).toThrow('cut off');
    expect(() => pageOf(feed({ rowsAt: 'rows' }), answer)).toThrow('The answer has no list in “rows”.');
    expect(() => pageOf(feed({ rowsAt: '' }), answer)).toThrow('Say in which field the list is');
    const misnamed = feed({ counters: [{ amountAt: 'gross', eventTypeId: search }] });
    expect(() => entriesOf(misnamed, [{ sub: { two: 'x' } }])).toThrow('The rows have no field “gross”.');
    const comma = [{ sub: { two: 'x' }, revenue: { search: '1,5', click: 0 } }];
    expect(() => entriesOf(feed(), comma)).toThrow('Row 1, revenue.search');
    expect(entriesOf(feed({ decimalMark: ',' }), comma).entries[0]!.amount).toBe(1_500_000n);
  });
  it('is never walked along inherited names', () => {
    expect(() => pageOf(feed({ rowsAt: '__proto__' }), answer)).toThrow('no list');
    expect(
      entriesOf(feed({ slotAt: 'constructor.name' }), [{ revenue: { search: 1, click: 1 } }]).entries,
    ).toEqual([]);
  });
});
