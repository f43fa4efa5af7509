import fc from 'fast-check';
import { describe, expect, it } from '@jest/globals';
import { pageSays, pageText } from './pageText.ts';

const page = `<!doctype html><html><head><meta charset="utf-8"><title>Star&nbsp;maps &amp; more</title><script>var hidden = "<b>no</b>";</script></head>
<body><!-- not <b>this</b> --><h1>Star maps</h1><p>Order&#32;yours&#x2c; <em>today</em>.</p><style>p{}</style><script>no()</script><noscript>nor this</noscript></body></html>`;

describe('the text of a page', () => {
  it('is what a person reads, with its title', () => {
    expect(pageText(page)).toEqual({ title: 'Star maps & more', text: 'Star maps Order yours, today .' });
  });
  it('of a page without a head has its title as well', () => {
    expect(pageText('<title>Kites</title><p>Fly')).toEqual({ title: 'Kites', text: 'Fly' });
  });
  it('says the words that are looked for, without regard to capitals and line breaks', () => {
    expect(pageSays(pageText(page), 'order  YOURS')).toBe(true);
    expect(pageSays(pageText(page), 'star maps & more')).toBe(true);
    expect(pageSays(pageText(page), 'hidden')).toBe(false);
    expect(pageSays(pageText(page), 'nor this')).toBe(false);
  });
  it('is cut, and ends with anything', () => {
    expect(pageText(`<p>${'x '.repeat(10_000)}`).text.length).toBeLessThanOrEqual(4000);
    fc.assert(
      fc.property(
        fc.array(
          fc.constantFrom('<', '>', '<!--', '-->', '<script', '</script>', '&#', ';', 'a', '<head>', '/'),
        ),
        (bits) => {
          expect(pageText(bits.join('')).text.length).toBeLessThanOrEqual(4000);
        },
      ),
    );
  });
});
