import { expect, it } from '@jest/globals';
import fc from 'fast-check';
import { cutLink } from './chips.ts';

const kinds = (link: string, by: 'we' | 'they'): string[] =>
  cutLink(link, by)
    .filter((p) => p.kind !== 'text')
    .map((p) => `${p.kind} ${p.text}`);

it('draws braces as ours only where we fill them', () => {
  const link = 'https://o.example/?a={click_id}&b=[zone]';
  expect(kinds(link, 'we')).toEqual(['host o.example', 'ours {click_id}', 'theirs [zone]']);
  expect(kinds(link, 'they')).toEqual(['host o.example', 'theirs {click_id}', 'theirs [zone]']);
});

it('loses and adds nothing', () => {
  const text = fc.string({
    unit: fc.constantFrom('{', '}', '[', ']', '#', '%', '$', 'a', '_', '=', '&', '1', 'click_id'),
  });
  fc.assert(
    fc.property(text, fc.constantFrom('we' as const, 'they' as const), (link, by) => {
      expect(
        cutLink(link, by)
          .map((p) => p.text)
          .join(''),
      ).toBe(link);
    }),
  );
});
