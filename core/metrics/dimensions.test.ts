import { expect, it } from '@jest/globals';
import { dimensions, dimensionText } from './index.ts';

it('are the dimensions of the visit row, each with a name and a label of its own', () => {
  expect(new Set(dimensions.map((d) => d.name)).size).toBe(dimensions.length);
  expect(new Set(dimensions.map((d) => d.label)).size).toBe(dimensions.length);
  for (const name of [
    'region',
    'city',
    'isp',
    'connection',
    'language',
    'referrer_host',
    'os_version',
    'bot_reason',
    'fate',
  ])
    expect(dimensions.map((d) => d.name)).toContain(name);
});

it('show records by their names, and everything else as it stands', () => {
  const of = (name: string) => dimensions.find((d) => d.name === name)!;
  const named = (id: string): string => (id === 'O1' ? 'Fernway terrarium box' : '');
  expect(dimensionText(of('offer_id'), 'O1', named)).toBe('Fernway terrarium box');
  expect(dimensionText(of('offer_id'), 'O2', named)).toBe('O2');
  expect(dimensionText(of('offer_id'), '', named)).toBe('');
  expect(dimensionText(of('language'), 'O1', named)).toBe('O1');
});
