import { expect, it } from '@jest/globals';
import { isSameOffer } from './sameOffer.ts';

const network = {
  clickIdParameter: 'aff_ref',
  subParameters: [{ parameter: 's2', limit: 0, token: '', demanded: false }],
};
const stored = 'https://go.larkspur.example/o/4471?pub=902&aff_ref={click_id}&s2={sub_site}';

it.each([
  ['with another click ID place filled', 'https://go.larkspur.example/o/4471?pub=902&aff_ref=YOUR_ID', true],
  ['without its sub-IDs, in another order', 'http://go.larkspur.example/o/4471/?aff_ref={sub}&pub=902', true],
  ['another offer', 'https://go.larkspur.example/o/4480?pub=902&aff_ref={sub}', false],
  ['another publisher', 'https://go.larkspur.example/o/4471?pub=7&aff_ref={sub}', false],
  ['another host', 'https://go.other.example/o/4471?pub=902', false],
  ['nothing', '', false],
])('%s', (_what, link, same) => expect(isSameOffer(stored, link, network)).toBe(same));

it('does without a network', () => {
  expect(isSameOffer('https://a.example/x?id=1', 'https://a.example/x?id=1&click_id={click_id}')).toBe(true);
  expect(isSameOffer('', '')).toBe(false);
});
