import { describe, expect, it } from '@jest/globals';
import { completionAt, ourTokens, putIn, theirMacros } from './completion.ts';

const ours = ourTokens('visit', { subs: { site: 'sub-ID from Moorhen Push' }, hasPages: true });
const options = (text: string, all = ours, caret = text.length): string[] =>
  (completionAt(text, caret, all)?.options ?? []).map((o) => o.text);

describe('completion', () => {
  it('begins with the brace, by name first, then by meaning', () => {
    expect(options('https://o.example/?a={cli')[0]).toBe('{click_id}');
    expect(options('https://o.example/?a={provider')).toEqual(['{isp}']);
    expect(options('?a={sub')).toContain('{sub_site}');
    expect(options('?a={').length).toBe(8);
  });
  it('offers first what fits the place, and nothing that the desk does not have', () => {
    const first = (place: 'visit' | 'conversion', hasPages = false): string[] =>
      ourTokens(place, { subs: { site: 'site' }, hasPages }).map((c) => c.text);
    expect(options('?uid={', ourTokens('conversion', { subs: {}, hasPages: false }))[0]).toBe(
      '{source_click_id}',
    );
    expect(first('visit').slice(0, 5)).toEqual([
      '{click_id}',
      '{source_name}',
      '{country}',
      '{device}',
      '{sub_site}',
    ]);
    expect(first('visit').some((t) => /landing|branch|partner/.test(t))).toBe(false);
    expect(first('conversion', true)).toContain('{landing_name}');
    // Each once.
    expect(new Set(first('conversion')).size).toBe(first('conversion').length);
  });
  it('is over with the closing brace, and where nothing was begun', () => {
    expect(options('?a={click_id}')).toEqual([]);
    expect(options('?a=click')).toEqual([]);
    expect(options('?a={zzzz')).toEqual([]);
  });
  it('offers a partner’s macros in the partner’s shape', () => {
    const theirs = theirMacros('##x##', { ref: 'our click ID', amt: 'the payout' });
    expect(options('?a=##a', theirs)).toEqual(['##amt##']);
    expect(options('?a=#payout', theirs)).toEqual(['##amt##']);
  });
  it('puts a token in where it was begun, and doubles no closing brace', () => {
    const text = '?a={cl}&b=1';
    const completion = completionAt(text, 6, ours)!;
    expect(putIn(text, 6, completion, completion.options[0]!)).toEqual({
      text: '?a={click_id}&b=1',
      caret: 13,
    });
  });
});
