import { expect, it } from '@jest/globals';
import { isDue } from './nightlyCheck.ts';

const at = (text: string): number => Date.parse(`2026-11-${text}Z`);

it('is due once a night, and at any hour when the nights were missed', () => {
  expect(isDue(at('12T02:00'), at('11T02:30'))).toBe(true);
  expect(isDue(at('12T02:00'), at('12T01:10'))).toBe(false);
  expect(isDue(at('12T13:00'), at('11T02:30'))).toBe(false);
  expect(isDue(at('13T13:00'), at('11T02:30'))).toBe(true);
});
