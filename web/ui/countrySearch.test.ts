import { expect, it } from '@jest/globals';
import { allCountries } from './countries.ts';
import { codesIn, foundCountries } from './countrySearch.ts';

const found = (text: string): string[] => foundCountries(allCountries, text).map((c) => c.code);

it('finds an exact code before names that contain it', () => {
  expect(found('de')[0]).toBe('DE');
  expect(found('be')[0]).toBe('BE');
  expect(found('nether')[0]).toBe('NL');
  expect(found('no such place')).toEqual([]);
  expect(found('')).toHaveLength(allCountries.length);
});

it('takes several codes pasted at once, and nothing that is not all codes', () => {
  expect(codesIn('DE AT CH', allCountries)).toEqual(['DE', 'AT', 'CH']);
  expect(codesIn(' nl,be ; pt', allCountries)).toEqual(['NL', 'BE', 'PT']);
  expect(codesIn('DE and AT', allCountries)).toEqual([]);
  expect(codesIn('', allCountries)).toEqual([]);
});
