import { expect, it } from '@jest/globals';
import { TestMarks } from './testMarks.ts';

const marks = new TestMarks('a secret of the tests, long enough');
const NOW = 1_795_600_000_000;
const mark = marks.make('campaign1', 'NL', NOW + 3_600_000);
const query = `clk=a&_t=${mark}`;

it('is read for its campaign, within its hour', () => {
  expect(marks.read(query, 'campaign1', NOW)).toEqual({ ok: true, mark: { country: 'NL' } });
});

it('is refused once its hour is over, for another campaign, and when any of it was changed', () => {
  expect(marks.read(query, 'campaign1', NOW + 3_602_000)).toEqual({ ok: false, why: 'expired' });
  expect(marks.read(query, 'campaign2', NOW)).toEqual({ ok: false, why: 'invalid' });
  for (const forged of [mark.replace('NL', 'BE'), `${mark}x`, mark.slice(0, -1), mark.replace('t1.', 't1.z')])
    expect(marks.read(`_t=${forged}`, 'campaign1', NOW)).toEqual({ ok: false, why: 'invalid' });
  expect(new TestMarks('another secret').read(query, 'campaign1', NOW)).toEqual({
    ok: false,
    why: 'invalid',
  });
});

it('leaves parameters of that name alone that are not ours', () => {
  for (const other of ['_t=1795600000', 'a=b', '', `x_t=${mark}`.replace('t1.', 't2.')])
    expect(marks.read(other, 'campaign1', NOW)).toBeNull();
});
