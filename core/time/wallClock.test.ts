import { expect, it } from '@jest/globals';
import { momentOf, wallClock } from './index.ts';

const ZONE = 'Europe/Brussels';
const at = (month: number, day: number, hour: number, minute = 0) => ({
  year: 2026,
  month,
  day,
  hour,
  minute,
});

it.each([
  [at(11, 26, 9, 30), '2026-11-26T08:30:00.000Z'],
  [at(7, 1, 0), '2026-06-30T22:00:00.000Z'],
  // The hour that comes twice, and the one that is left out.
  [at(10, 25, 2, 30), '2026-10-25T01:30:00.000Z'],
  [at(3, 29, 2, 30), '2026-03-29T01:30:00.000Z'],
])('%o in Brussels is %s', (clock, moment) => {
  expect(momentOf(clock, ZONE)).toBe(moment);
});

it('is shown as it was set', () => {
  for (const zone of [ZONE, 'Asia/Kathmandu', 'America/New_York'])
    expect(wallClock(momentOf(at(11, 26, 23, 59), zone), zone)).toEqual(at(11, 26, 23, 59));
});
