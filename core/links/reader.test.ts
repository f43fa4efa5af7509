import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { extractLinks } from './extractLinks.ts';
import { joinLink, splitLink, withoutPair, withPair } from './parts.ts';
import { compareLinks, readLink } from './reader.ts';

describe('a link as structure', () => {
  const text = fc.oneof(
    fc.webUrl({ withQueryParameters: true, withFragments: true }),
    fc.string({ unit: fc.constantFrom(...'ab:/?&=#{}[]% é') }),
  );
  it('is joined to the very text that was split', () => {
    fc.assert(
      fc.property(text, (link) => expect(joinLink(splitLink(link))).toBe(link)),
      { numRuns: 500 },
    );
  });
  it('changes one parameter and leaves the rest byte for byte', () => {
    const link = 'https://o.example/p?a=1&&b&c=%zz#top';
    expect(withPair(link, 0, 'a', '{click_id}')).toBe('https://o.example/p?a={click_id}&&b&c=%zz#top');
    expect(withPair(link, 9, 'd', '4')).toBe('https://o.example/p?a=1&&b&c=%zz&d=4#top');
    expect(withPair('https://o.example/#amt#', 0, 'a', '1')).toBe('https://o.example/#amt#?a=1');
    expect(withoutPair(link, 2)).toBe('https://o.example/p?a=1&&c=%zz#top');
    expect(withoutPair('https://o.example/?a=1', 0)).toBe('https://o.example/');
  });
});

describe('the link reader', () => {
  it('decodes layer by layer', () => {
    const [p] = readLink('https://o.example/?title=Bake%2520at%2520home').parameters;
    expect(p!.layers).toEqual(['Bake%2520at%2520home', 'Bake%20at%20home', 'Bake at home']);
    expect(p!.meaning).toBe('the ad’s title');
  });
  it('opens an address inside an address, with what is encoded in it left to its own parameters', () => {
    const inner = 'https://shop.example/p?kw=rye%20starter&u=https%3A%2F%2Fdeep.example%2F%3Fz%3D1';
    const read = readLink(`https://o.example/go?url=${encodeURIComponent(encodeURIComponent(inner))}`);
    const nested = read.parameters[0]!.nested!;
    expect(nested.host).toBe('shop.example');
    expect(nested.parameters.map((p) => [p.name, p.value])).toEqual([
      ['kw', 'rye starter'],
      ['u', 'https://deep.example/?z=1'],
    ]);
    expect(nested.parameters[1]!.nested!.parameters[0]!.value).toBe('1');
  });
  it('groups runs of alike parameters', () => {
    const { parameters } = readLink('https://o.example/?kw1=a&kw2=b&kw3=c&x2=1&k[0]=p&k[1]=q');
    expect(parameters.map((p) => p.run)).toEqual(['kw', 'kw', 'kw', '', 'k', 'k']);
  });
  it('tells placeholders, of whatever shape', () => {
    expect(readLink('https://o.example/{path}?a=[zone]&b=##cost##').macros).toEqual([
      '{path}',
      '[zone]',
      '##cost##',
    ]);
  });
  it('reads anything without throwing, and ends', () => {
    fc.assert(fc.property(fc.string({ unit: 'binary', maxLength: 300 }), (text) => void readLink(text)));
    let deep = 'https://a.example/';
    for (let i = 0; i < 20; i++) deep = `https://a.example/?u=${encodeURIComponent(deep)}`;
    let depth = 0;
    for (let at = readLink(deep); at.parameters[0]?.nested; at = at.parameters[0].nested) depth += 1;
    expect(depth).toBe(6);
  });
  it('compares two links parameter by parameter', () => {
    const [a, b] = ['https://o.example/?a=1&b=2&c=x', 'https://o.example/?b=2&a=9&d=4'].map((l) =>
      readLink(l),
    );
    expect(compareLinks(a!, b!)).toEqual([
      { name: 'a', first: '1', second: '9', same: false },
      { name: 'b', first: '2', second: '2', same: true },
      { name: 'c', first: 'x', second: null, same: false },
      { name: 'd', first: null, second: '4', same: false },
    ]);
  });
});

describe('addresses in a pasted text', () => {
  it('are found in tags, with entities undone', () => {
    const html = `<p><IMG width=1 src='https://p.example/i?a=1&amp;b={uid}'></p><script async src="//s.example/x.js"></script>`;
    expect(extractLinks(html)).toEqual([
      { link: 'https://p.example/i?a=1&b={uid}', from: 'img' },
      { link: '//s.example/x.js', from: 'script' },
    ]);
  });
  it('are found on lines and in sentences, each once', () => {
    expect(
      extractLinks(
        'https://a.example/?x=<zone>\nsee https://b.example/y, and\no.example/z?q=1\nhttps://b.example/y',
      ).map((f) => f.link),
    ).toEqual(['https://a.example/?x=<zone>', 'https://b.example/y', 'o.example/z?q=1']);
    expect(extractLinks('no address here')).toEqual([]);
  });
});
