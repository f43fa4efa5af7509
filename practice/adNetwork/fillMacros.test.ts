import { expect, it } from '@jest/globals';
import { fillMacros } from './fillMacros.ts';
import { makeVisitor } from './visitors.ts';

it('fills what it knows, in any shape, and leaves the rest', () => {
  const link = 'http://t.test/v/k?clk=[click]&s=${SITE}&x=[unknown]&p=%20';
  expect(fillMacros(link, null, { click: 'a b', site: 'x.example' })).toBe(
    'http://t.test/v/k?clk=a%20b&s=x.example&x=[unknown]&p=%20',
  );
});

it('makes visitors of the wanted mix', () => {
  const v = makeVisitor({ countries: ['NL'], devices: ['desktop'], bots: 0 }, () => 0.5);
  expect(v).toMatchObject({ country: 'NL', isBot: false, language: 'nl-NL' });
  expect(v.address).toMatch(/^145\.53\./);
  expect(makeVisitor({ countries: [], devices: [], bots: 1 }, () => 0.1).isBot).toBe(true);
});

it('fills no shape but its own, where it knows one only', () => {
  const link = 'http://127.0.0.2/v/k?c=%%CLICK%%&s=[site]';
  expect(fillMacros(link, '%%x%%', { click: 'lw1', site: 'x.example' })).toBe(
    'http://127.0.0.2/v/k?c=lw1&s=[site]',
  );
});
