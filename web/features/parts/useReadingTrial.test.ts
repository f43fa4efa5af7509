import { expect, it } from '@jest/globals';
import { networkInput } from '@tracheon/core/contract';
import { isReadOtherwise } from './useReadingTrial.ts';

const network = networkInput.parse({ name: 'Larkspur CPA', fields: {} });

it('asks for a trial where postbacks would be read in another way, and only there', () => {
  expect(isReadOtherwise(network, { ...network, name: 'Other', notes: 'x', answerStyle: 'ok' })).toBe(false);
  expect(isReadOtherwise(network, { ...network, decimalMark: ',' })).toBe(true);
  expect(isReadOtherwise(network, { ...network, statusWords: [{ word: 'ok', means: 'approved' }] })).toBe(
    true,
  );
});
