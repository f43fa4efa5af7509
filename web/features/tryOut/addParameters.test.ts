import { expect, it } from '@jest/globals';
import { readLink } from '@tracheon/core/links';
import { addParameters } from './addParameters.ts';

const { parameters } = readLink('https://feed.example/s?kw1=rye%2520starter&kw2=oat+bread&id=[click]');

it('puts values in, encoded once, placeholders as they are', () => {
  expect(addParameters('https://o.example/x?kw1=old&z=1#top', parameters)).toBe(
    'https://o.example/x?kw1=rye%20starter&z=1&kw2=oat%20bread&id=[click]#top',
  );
});
it('gives nothing while there is no link or nothing to put in', () => {
  expect(addParameters('o.example', parameters)).toBe('');
  expect(addParameters('https://o.example/', [])).toBe('');
});
