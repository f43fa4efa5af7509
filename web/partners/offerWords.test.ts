import { expect, it } from '@jest/globals';
import { withValues } from './offerWords.ts';

const link = 'https://go.example/v/abc?partner=P1';
it.each([
  ['birds & kites', '&site=birds%20%26%20kites'],
  ['[site]', '&site=[site]'],
  ['[ site ]', '&site=[site]'],
  ['{zone.id}', '&site={zone.id}'],
  ['%%SITE%%', '&site=%%SITE%%'],
  ['#ref#', '&site=#ref#'],
  ['[site] x', '&site=%5Bsite%5D%20x'],
  ['  ', ''],
])('%s', (value, added) => expect(withValues(link, [{ parameter: 'site', value }])).toBe(link + added));

it('stands before a fragment', () =>
  expect(withValues(`${link}#top`, [{ parameter: 's', value: 'a' }])).toBe(`${link}&s=a#top`));
