import { expect, it } from '@jest/globals';
import { count, money, moment, percent } from './format.ts';

const plain = (s: string): string => s.replaceAll('\u202f', ' ');

it('writes money with a true minus and thin groups', () => {
  expect(plain(money('1234567890'))).toBe('1 234.57');
  expect(money('-18400000')).toBe('\u221218.40');
  expect(money('33400000', 2, true)).toBe('+33.40');
  expect(money('0', 2, true)).toBe('0.00');
  expect(money('-4000', 2)).toBe('0.00');
  expect(money('45600', 4)).toBe('0.0456');
});

it('writes shares and counts', () => {
  expect(plain(percent(0.059, 1, true))).toBe('+5.9 %');
  expect(plain(percent(-1))).toBe('\u2212100.0 %');
  expect(percent(null)).toBe('–');
  expect(plain(count(12327))).toBe('12 327');
});

it('leaves the date out today, in the desk’s zone', () => {
  const now = Date.parse('2026-11-23T23:30:00Z');
  expect(moment('2026-11-23T23:10:05Z', 'Europe/Brussels', now)).toBe('00:10:05');
  expect(moment('2026-11-23T20:10:05Z', 'Europe/Brussels', now)).toBe('23 Nov 21:10');
});
