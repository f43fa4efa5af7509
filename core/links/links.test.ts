import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { networkInput, sourceInput } from '../contract/index.ts';
import {
  carriesClickId,
  linkParameters,
  pageLink,
  postbackUrl,
  trackingLink,
  withClickId,
} from './compose.ts';
import { cutBytes, parseQuery, presence } from './query.ts';

describe('a query', () => {
  it('counts the first of a repeated parameter and says so', () => {
    const q = parseQuery('?a=1&b=2&a=3');
    expect(q.values.get('a')).toBe('1');
    expect(q.notes).toEqual(['repeated:a']);
  });
  it('keeps an invalid percent sign and replaces NUL', () => {
    const q = parseQuery('a=100%&b=%zz&c=x%00y&d=%E4%20z');
    expect([...q.values.values()]).toEqual(['100%', '%zz', 'x\ufffdy', '%E4 z']);
    expect(q.notes).toContain('replaced_characters');
  });
  it('cuts at 512 bytes between characters', () => {
    const q = parseQuery(`a=${'é'.repeat(300)}`);
    expect(q.values.get('a')).toBe('é'.repeat(256));
    expect(q.notes).toEqual(['cut:a']);
  });
  it('takes prototype names as names', () => {
    expect(parseQuery('__proto__=1&constructor=2').values.get('__proto__')).toBe('1');
  });
  it('never throws, and never grows a value', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), (text) => {
        for (const v of parseQuery(text).values.values())
          expect(new TextEncoder().encode(v).length).toBeLessThanOrEqual(512);
        expect(cutBytes(text.toWellFormed(), 10).length).toBeLessThanOrEqual(10);
      }),
    );
  });
});

describe('presence', () => {
  it.each([undefined, '', ' ', '-', 'null', 'undefined'])('%s is absent', (value) =>
    expect(presence(value, '#ref#').state).toBe('absent'),
  );
  it.each(['#ref#', '%23ref%23', '%2523ref%2523', ' #ref# '])('%s is unsubstituted', (value) =>
    expect(presence(value, '#ref#').state).toBe('unsubstituted'),
  );
  it('takes zero as zero and another macro as a value', () => {
    expect(presence('0', '')).toEqual({ state: 'present', value: '0' });
    expect(presence('#other#', '#ref#').state).toBe('present');
  });
});

const network = networkInput.parse({
  name: 'Larkspur CPA',
  clickIdParameter: 'aff_ref',
  macroStyle: '#x#',
  fields: { click_id: { macro: '#ref#', parameter: '' }, payout: { macro: '#amt#', parameter: 'sum' } },
});
const source = sourceInput.parse({
  name: 'Moorhen Push',
  parameters: [
    { parameter: 'clk', macro: '[click]', role: 'click_id' },
    { parameter: 'site', macro: '[site]', role: 'sub', sub: 'site' },
  ],
});

describe('links that they expand', () => {
  it('keep macros raw', () => {
    expect(trackingLink('http://t.test', 'k1', source)).toBe('http://t.test/v/k1?clk=[click]&site=[site]');
    expect(postbackUrl('http://t.test', 'n1', network)).toBe('http://t.test/in/n1?click_id=#ref#&sum=#amt#');
  });
});

describe('the click ID on a landing page’s address', () => {
  it.each([
    ['https://p.example/x', 'https://p.example/x?click_id={click_id}'],
    ['https://p.example/x?a=1#top', 'https://p.example/x?a=1&click_id={click_id}#top'],
    ['https://p.example/x?click_id={click_id}', 'https://p.example/x?click_id={click_id}'],
    // Under another name the page's script would not know it.
    ['https://p.example/x?cid={click_id}', 'https://p.example/x?cid={click_id}&click_id={click_id}'],
  ])('%s becomes %s', (url, wanted) => expect(pageLink(url)).toBe(wanted));
});

describe('the click ID in an offer link', () => {
  it.each([
    ['https://o.example/x', 'https://o.example/x?aff_ref={click_id}'],
    ['https://o.example/x?pub=9', 'https://o.example/x?pub=9&aff_ref={click_id}'],
    ['https://o.example/x?pub=9&', 'https://o.example/x?pub=9&aff_ref={click_id}'],
    ['https://o.example/x?', 'https://o.example/x?aff_ref={click_id}'],
    ['https://o.example/x?aff_ref=PUT_HERE&p=1', 'https://o.example/x?aff_ref={click_id}&p=1'],
    ['https://o.example/x?s={click_id}', 'https://o.example/x?s={click_id}'],
    ['https://o.example/x#top', 'https://o.example/x?aff_ref={click_id}#top'],
    ['https://o.example/x?a=#amt#', 'https://o.example/x?a=#amt#&aff_ref={click_id}'],
  ])('%s becomes %s', (link, wanted) => expect(withClickId(link, 'aff_ref')).toBe(wanted));

  it('is put in once: a second time changes nothing', () => {
    fc.assert(
      fc.property(fc.webUrl({ withQueryParameters: true, withFragments: true }), (link) => {
        const once = withClickId(link, 'aff_ref');
        expect(carriesClickId(once)).toBe(true);
        expect(withClickId(once, 'aff_ref')).toBe(once);
        expect(linkParameters(once).filter((p) => p.value === '{click_id}')).toHaveLength(1);
      }),
    );
  });
});
