import { describe, expect, it } from '@jest/globals';
import { macroStyles } from '../contract/primitives.ts';
import { completeMacro, findMacros, inStyle, styleOf } from './macros.ts';
import { isKnownToken, nearestToken } from './vocabulary.ts';

describe('foreign macros', () => {
  it.each(macroStyles)('%s is told apart from every other shape', (shape) => {
    const text = inStyle(shape, 'click');
    expect(styleOf(text)).toBe(shape);
    expect(findMacros(`https://x.example/?a=${text}&b=1`).map((m) => m.text)).toEqual([text]);
  });
  it('reads percent-encoding as encoding', () => {
    expect(findMacros('a=%20b%20c')).toEqual([]);
    expect(findMacros('a=%click%').map((m) => m.shape)).toEqual(['%x%']);
  });
  it('sees a macro with white space beside the name', () => {
    expect(findMacros('a={ click }')[0]?.text).toBe('{ click }');
  });
  it('completes a bare name to the declared shape, and leaves what is one already', () => {
    expect(completeMacro('#x#', 'ref')).toBe('#ref#');
    expect(completeMacro('#x#', '[ref]')).toBe('[ref]');
  });
});

describe('our vocabulary', () => {
  it('knows tokens by place', () => {
    expect(isKnownToken('payout', 'visit')).toBe(false);
    expect(isKnownToken('payout', 'conversion')).toBe(true);
    expect(isKnownToken('sub_site', 'visit')).toBe(true);
    expect(isKnownToken('sub_site_enc', 'visit')).toBe(true);
    expect(isKnownToken('constructor', 'visit')).toBe(false);
  });
  it('proposes the nearest name', () => {
    expect(nearestToken('clickid', 'visit')).toBe('click_id');
    expect(nearestToken('zzzzzz', 'visit')).toBeNull();
  });
});
