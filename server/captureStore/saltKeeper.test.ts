import { expect, it } from '@jest/globals';
import { saltsAt, saltsByDay } from './saltKeeper.ts';

const NOON = Date.UTC(2026, 10, 25, 12);
const kept = { '2026-11-25': 'aa'.repeat(32), '2026-11-24': 'bb'.repeat(32) };

it('salts are those of their days; a day without one gets a new one', () => {
  const salts = saltsAt(NOON, kept);
  expect(salts.today.toString('hex')).toBe('aa'.repeat(32));
  expect(saltsByDay(NOON, salts)).toEqual(kept);
  const tomorrow = saltsAt(NOON + 86_400_000, kept);
  expect(tomorrow.yesterday).toEqual(salts.today);
  expect(tomorrow.today).toHaveLength(32);
  expect(tomorrow.today).not.toEqual(salts.today);
});
