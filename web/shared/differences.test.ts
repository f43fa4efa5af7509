import { expect, it } from '@jest/globals';
import { differences, fieldWords } from './differences.ts';

it('names each field that differs, with both values in words', () => {
  const mine = { name: 'A', networkId: '01A', countries: ['BE'], repeats: true, same: 1, statusWords: [] };
  const theirs = {
    name: 'B',
    networkId: '01B',
    countries: [],
    repeats: false,
    same: 1,
    statusWords: [{ word: 'ok', means: 'approved' }],
  };
  expect(differences(mine, theirs, (id) => ({ '01A': 'Larkspur CPA' })[id])).toEqual([
    { field: 'name', mine: 'A', theirs: 'B' },
    { field: 'network', mine: 'Larkspur CPA', theirs: '01B' },
    { field: 'countries', mine: 'BE', theirs: '(none)' },
    { field: 'repeats', mine: 'yes', theirs: 'no' },
    { field: 'status words', mine: '(none)', theirs: 'ok approved' },
  ]);
});

it('writes field names as words', () => {
  expect(['clickIdParameter', 'postbackUrl', 'costMicros', 'offerId'].map(fieldWords)).toEqual([
    'click ID parameter',
    'postback URL',
    'cost',
    'offer',
  ]);
});
