import { expect, it } from '@jest/globals';
import type { PageCheck } from '../contract/index.ts';
import { pageRemarks } from './pageRemarks.ts';

const check: PageCheck = {
  at: '2026-11-25T10:00:00.000Z',
  trouble: 'ok',
  sentence: '',
  finalUrl: 'https://pages.example/terrarium',
  status: 200,
  secure: true,
  tookMs: 120,
  bytes: 9000,
  buttons: [
    { n: 1, found: 1, baked: false, secure: true },
    { n: 2, found: 2, baked: false, secure: true },
  ],
  script: true,
  strays: [],
};

it('has nothing to say of a page that is in order', () => expect(pageRemarks(check, true)).toEqual([]));

it('says what is missing, baked in, unsafe, or of another page', () => {
  const words = pageRemarks(
    {
      ...check,
      script: false,
      strays: ['https://old.example/b/abcdef/1'],
      buttons: [
        { n: 1, found: 0, baked: false, secure: true },
        { n: 2, found: 1, baked: true, secure: false },
      ],
    },
    true,
  );
  expect(words.map((r) => r.weight)).toEqual(['bad', 'bad', 'bad', 'bad', 'note']);
  expect(words[0]!.words).toContain('button 1');
  expect(words[1]!.words).toContain('one visitor');
});

it('says only the trouble of a page that could not be read', () => {
  expect(pageRemarks({ ...check, trouble: 'too_slow', sentence: 'Slow.', buttons: [] }, true)).toEqual([
    { weight: 'bad', words: 'Slow.' },
  ]);
});
