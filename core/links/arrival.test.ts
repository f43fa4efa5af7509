import { expect, it } from '@jest/globals';
import { sourceInput } from '../contract/index.ts';
import { pageVisitLink } from './index.ts';

const source = sourceInput.parse({
  name: 'Dipper Social',
  parameters: [
    { parameter: 'clk', macro: '{{click}}', role: 'click_id' },
    { parameter: 'ad', macro: '{{ad_name}}', role: 'sub', sub: 'ad' },
  ],
});
const keys = { campaign: 'c4mp', page: 'p4ge' };

it.each([
  ['https://gifts.example', 'https://gifts.example?_v=c4mp.p4ge&clk={{click}}&ad={{ad_name}}'],
  ['https://gifts.example/?a=1', 'https://gifts.example/?a=1&_v=c4mp.p4ge&clk={{click}}&ad={{ad_name}}'],
  // Nothing fills our tokens on this way.
  [
    'https://gifts.example/x?cid={click_id}&lang=nl{&sub_site}#top',
    'https://gifts.example/x?_v=c4mp.p4ge&clk={{click}}&ad={{ad_name}}#top',
  ],
])('the ad leads to %s itself, with the parameters of the source', (page, link) => {
  expect(pageVisitLink(page, keys, source)).toBe(link);
});

it('a source without parameters needs only the campaign', () => {
  expect(pageVisitLink('https://gifts.example/', keys, { parameters: [] })).toBe(
    'https://gifts.example/?_v=c4mp.p4ge',
  );
});
