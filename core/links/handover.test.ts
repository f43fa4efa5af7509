import { describe, expect, it } from '@jest/globals';
import { networkInput } from '../contract/index.ts';
import { extractLinks } from './extractLinks.ts';
import { handoverText, handoverUrls, pixelTag, type PixelKind } from './handover.ts';

const network = networkInput.parse({
  name: 'Saltmarsh Partners',
  macroStyle: '{{x}}',
  fields: {
    click_id: { macro: '{{sid}}', parameter: 'sid' },
    payout: { macro: '{{amount}}' },
    status: { macro: '{{state}}', parameter: 'state' },
  },
  extras: [{ name: 'brand', macro: '{{brand}}' }, { name: 'colour' }],
});
const urls = (split: 'one' | 'status' | 'event') =>
  handoverUrls('https://t.example', 'k1', network, split, [
    { name: 'Sale', word: 'sale' },
    { name: 'Sign-up', word: 'sign up' },
  ]);

describe('what is handed over', () => {
  it('is one URL with their macros, extras among them', () => {
    expect(urls('one').map((u) => u.url)).toEqual([
      'https://t.example/in/k1?sid={{sid}}&payout={{amount}}&state={{state}}&x_brand={{brand}}',
    ]);
  });
  it('is one for each status, with our word for it in place of their macro', () => {
    expect(urls('status').map((u) => [u.of, /state=([^&]*)/.exec(u.url)![1]])).toEqual([
      ['pending', 'pending'],
      ['approved', 'approved'],
      ['rejected', 'rejected'],
      ['reversed', 'reversed'],
    ]);
  });
  it('is one for each event type, added where they have no field for it', () => {
    expect(urls('event').map((u) => u.url.split('&').at(-1))).toEqual(['event=sale', 'event=sign%20up']);
  });
  it('as a tag gives the very same address back', () => {
    const { url } = urls('one')[0]!;
    const tag = (kind: PixelKind, byCookie = false) => pixelTag(url, kind, network, byCookie);
    const pixel = (ending: string) => url.replace('/in/k1', `/in/k1.${ending}`);
    expect(extractLinks(tag('image'))).toEqual([{ link: pixel('gif'), from: 'img' }]);
    expect(extractLinks(tag('iframe'))[0]?.link).toBe(pixel('html'));
    expect(tag('script')).toContain('https://t.example/in/k1.js?sid={{sid}}&amp;payout=');
    expect(tag('image', true)).toContain('https://t.example/in/k1.gif?payout={{amount}}');
  });
  it('as a text names each', () => {
    const text = handoverText('Saltmarsh Partners', urls('status'), 'all offers');
    expect(text.match(/https:\/\/t\.example\/in\/k1/g)).toHaveLength(4);
    expect(text).toContain('rejected:');
  });
});
