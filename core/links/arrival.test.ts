import { expect, it } from '@jest/globals';
import { campaignInput, sourceInput } from '../contract/index.ts';
import { adLink, pageVisitLink } from './index.ts';

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

it('an ad leads to the tracking link, or, where the source allows no redirects, to the page itself', () => {
  const body = campaignInput.parse({ name: 'c', sourceId: 'S', offerId: 'O', landingPageId: 'L' });
  const pageOf = (id: string) =>
    id === 'L' ? { key: 'p4ge', body: { url: 'https://gifts.example/' } } : undefined;
  const of = (more: object, landingPageId = 'L'): string =>
    adLink(
      'https://go.kits.example',
      { key: 'c4mp', body: { ...body, landingPageId } },
      { ...source, ...more },
      pageOf,
    );
  const redirect = 'https://go.kits.example/v/c4mp?clk={{click}}&ad={{ad_name}}';
  expect(of({})).toBe(redirect);
  expect(of({ allowsRedirects: false })).toBe(
    'https://gifts.example/?_v=c4mp.p4ge&clk={{click}}&ad={{ad_name}}',
  );
  expect(of({ allowsRedirects: false }, '')).toBe(redirect);
});
