import { describe, expect, it } from '@jest/globals';
import { feedInput, type FeedInput } from '../contract/index.ts';
import { FeedProblem } from './readAnswer.ts';
import { costOf, costsOf } from './readCosts.ts';

const CAMPAIGN = '01J0000000000000000000000C';
const campaigns = new Map([
  ['de · kites · moorhen push', CAMPAIGN],
  ['k7f3', CAMPAIGN],
]);
const feed = (more: object = {}): FeedInput =>
  feedInput.parse({
    name: 'Moorhen costs',
    gives: 'cost',
    sourceId: '01J0000000000000000000000S',
    url: 'https://api.moorhen.example/spend?day={day}',
    amountAt: 'spend',
    campaignAt: 'campaign',
    subs: [{ name: 'site', at: 'zone.id' }],
    currency: 'USD',
    currencyAt: 'cur',
    fromDay: '2026-11-01',
    ...more,
  });
const row = (spend: unknown, more: object = {}) => ({
  spend,
  campaign: 'K7F3',
  zone: { id: 88 },
  cur: 'USD',
  ...more,
});
const read = (rows: unknown[], more: object = {}) => costsOf(feed(more), rows, campaigns);

describe('rows of a cost report', () => {
  it('become a campaign, values of sub-IDs and an amount', () => {
    const { entries, sum, unknown } = read([
      row('1.25'),
      row(2, { campaign: 'DE · Kites · Moorhen Push', zone: { id: '' } }),
      row('0.5', { campaign: '' }),
    ]);
    expect(entries.map(costOf)).toEqual([
      { campaignId: CAMPAIGN, subs: { site: '88' }, isCredit: false, amount: 1_250_000n },
      { campaignId: CAMPAIGN, subs: {}, isCredit: false, amount: 2_000_000n },
      { campaignId: '', subs: { site: '88' }, isCredit: false, amount: 500_000n },
    ]);
    expect([sum, unknown]).toEqual([3_750_000n, []]);
  });

  it('are a credit below zero, and round what is finer than an amount', () => {
    const { entries, sum } = read([row('-0.40'), row('0.0000015')]);
    expect(entries.map(costOf).map((c) => [c.isCredit, c.amount])).toEqual([
      [true, 400_000n],
      [false, 2n],
    ]);
    expect(sum).toBe(-399_998n);
  });

  it('of a campaign that the source does not have are named with their sum, and book nothing', () => {
    const { entries, sum, unknown } = read([row('1'), row('3', { campaign: 'Elsewhere' })]);
    expect(entries).toHaveLength(1);
    expect(sum).toBe(4_000_000n);
    expect(unknown).toEqual([{ name: 'Elsewhere', amount: 3_000_000n }]);
  });

  it('of another currency, without the field, or without a number are a problem in words', () => {
    expect(() => read([row('1'), row('1', { cur: 'eur' })])).toThrow(
      'Row 2 is in “EUR”, but this feed is in USD. Make a feed of its own for each currency.',
    );
    expect(() => read([{ campaign: 'K7F3' }])).toThrow('The rows have no field “spend”.');
    expect(() => read([row('free')])).toThrow(FeedProblem);
    expect(read([row(''), row('')]).entries).toEqual([]);
  });

  it('tell the same scope by the same key, whatever the order of its sub-IDs', () => {
    const subs = [
      { name: 'site', at: 'a' },
      { name: 'creative', at: 'b' },
    ];
    const both = [subs, [...subs].reverse()].map(
      (each) => read([row('1', { a: 'x', b: 'y' })], { subs: each }).entries[0]!.key,
    );
    expect(both[0]).toBe(both[1]);
  });
});
