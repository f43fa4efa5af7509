import { expect, it } from '@jest/globals';
import fc from 'fast-check';
import { percentEncode } from './percentEncode.ts';

const hex = (c: string): string => `%${c.charCodeAt(0).toString(16).toUpperCase()}`;
/** By the engine, which knows UTF-8 and leaves five characters more than the RFC. */
const byEngine = (text: string): string =>
  encodeURIComponent(text.toWellFormed()).replaceAll(/[!'()*]/g, hex);
/** Also halves of characters, and what the tables end at. */
const unit = fc.oneof(
  fc.string({ unit: 'binary', minLength: 1, maxLength: 1 }),
  fc.constantFrom(...'aZ09-._~ %:/?#[]@!$&\'()*+,;="<>|', '\u007f', '\u0080', '\u07ff', '\u0800', '\uffff'),
  fc.constantFrom('\ud800', '\udbff', '\udc00', '\udfff', '𐀀', '😀', '\u{10ffff}'),
);
const text = fc.array(unit, { maxLength: 20 }).map((all) => all.join(''));

it('encodes whatever is no unreserved character, as the engine does', () => {
  fc.assert(fc.property(text, (t) => expect(percentEncode(t, false)).toBe(byEngine(t))));
});

it('lets reserved characters and triplets through where it is told to, and encodes each other character', () => {
  const kept = /%[0-9A-Fa-f]{2}|[A-Za-z0-9\-._~:/?#[\]@!$&'()*+,;=]|\s|./gsu;
  fc.assert(
    fc.property(text, (t) => {
      const wanted = t
        .toWellFormed()
        .replace(kept, (c) => (/^(%..|[:/?#[\]@!$&'()*+,;=])$/.test(c) ? c : byEngine(c)));
      expect(percentEncode(t, true)).toBe(wanted);
    }),
  );
});

it.each([
  ['kiosk-nord.example', 'kiosk-nord.example', 'kiosk-nord.example'],
  ['50 % off', '50%20%25%20off', '50%20%25%20off'],
  ['a%2Fb%2', 'a%252Fb%252', 'a%2Fb%252'],
  ['é%41/%4', '%C3%A9%2541%2F%254', '%C3%A9%41/%254'],
  ['😀', '%F0%9F%98%80', '%F0%9F%98%80'],
  ['', '', ''],
])('%s', (given, strict, reserved) => {
  expect([percentEncode(given, false), percentEncode(given, true)]).toEqual([strict, reserved]);
});
