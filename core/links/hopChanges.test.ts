import { describe, expect, it } from '@jest/globals';
import { hopChanges } from './hopChanges.ts';

const at = (query: string): string => `https://offer.example/x?${query}`;

describe('what a redirect did to the values', () => {
  it.each([
    ['nothing', at('ref=A1&site=s'), at('site=s&ref=A1'), []],
    ['moved one', at('ref=A1'), at('click=A1'), [{ name: 'ref', value: 'A1', what: 'moved', to: 'click' }]],
    ['dropped one', at('ref=A1&s=x'), at('s=x'), [{ name: 'ref', value: 'A1', what: 'dropped', to: '' }]],
    ['changed one', at('ref=A1'), at('ref=B2'), [{ name: 'ref', value: 'A1', what: 'changed', to: 'B2' }]],
    ['put one into the path', at('ref=A1'), 'https://shop.example/A1/buy', []],
    ['put one into a longer value', at('ref=A1'), at('s=x-A1-y'), []],
    ['encoded one', at('title=a%20b'), at('title=a%20b&x=1'), []],
    ['had nothing to lose', 'https://offer.example/', at('x=1'), []],
  ])('%s', (_what, from, to, wanted) => expect(hopChanges(from, to)).toEqual(wanted));
});
