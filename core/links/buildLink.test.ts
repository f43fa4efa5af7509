import fc from 'fast-check';
import { describe, expect, it } from '@jest/globals';
import { networkInput } from '../contract/index.ts';
import { builtLink, keywordRun, wordsOf } from './buildLink.ts';

const none = { prefix: '', words: [] };

describe('a link that is put together', () => {
  it('has fixed values, tokens and a run of keywords, and sets anew what the base had', () => {
    expect(
      builtLink(
        {
          base: 'https://feed.copperleaf.example/s?src=old#top',
          fixed: [
            { name: 'src', value: 'Moorhen Push & more' },
            { name: 'ref', value: '{sub_site}/{sub_ad}' },
            { name: ' ', value: 'nothing' },
          ],
          run: { prefix: 'kw', words: ['star map', 'telescope'] },
        },
        null,
      ),
    ).toBe(
      'https://feed.copperleaf.example/s?src=Moorhen%20Push%20%26%20more&ref={sub_site}%2F{sub_ad}&kw1=star%20map&kw2=telescope#top',
    );
  });
  it('has what the network wants in every link', () => {
    const network = networkInput.parse({
      name: 'Copperleaf',
      clickIdParameter: 'sub2',
      subParameters: [{ parameter: 'site', token: 'sub_site', demanded: true }],
      fields: {},
    });
    const link = builtLink({ base: 'https://feed.copperleaf.example/s', fixed: [], run: none }, network);
    expect(link).toContain('sub2={click_id}');
    expect(link).toContain('site={sub_site}');
  });
});

describe('a run of keywords', () => {
  it('is taken out of a link, in its order, decoded twice where it was encoded twice', () => {
    expect(
      keywordRun('https://feed.example/s?src=t&kw2=oat+bread&kw10=last&kw1=rye%2520starter&x1=1'),
    ).toEqual({
      prefix: 'kw',
      words: ['rye starter', 'oat bread', 'last'],
    });
    expect(keywordRun('https://feed.example/s?kw1=alone&q=2')).toBeNull();
  });
  it('comes back as it was put in, whatever its words are', () => {
    const word = fc.string({ minLength: 1, maxLength: 30 }).map((w) => w.replaceAll(/[%+\n]/g, '').trim());
    fc.assert(
      fc.property(fc.array(word, { minLength: 2, maxLength: 12 }), (some) => {
        const words = wordsOf(some.join('\n'));
        fc.pre(words.length > 1 && words.every((w) => w.isWellFormed()));
        const link = builtLink({ base: 'https://a.example/', fixed: [], run: { prefix: 'kw', words } }, null);
        expect(keywordRun(link)).toEqual({ prefix: 'kw', words });
        expect([...new URL(link).searchParams.values()]).toEqual(words);
      }),
    );
  });
  it('is one word a line, without repeats', () => {
    expect(wordsOf(' star map \n\ntelescope\nstar map')).toEqual(['star map', 'telescope']);
  });
});
