import { expect, it } from '@jest/globals';
import type { HealthNews } from '@tracheon/core/contract';
import { Health } from './health.ts';

it('tells when the database or the disk change, not when they go on as they are', () => {
  const told: HealthNews[] = [];
  const health = new Health((n) => told.push(n));
  health.databaseAnswered();
  health.databaseAnswered();
  health.row('visit', 'committed');
  expect(told.map((n) => n.database)).toEqual(['up']);
  health.databaseSilent();
  health.databaseSilent();
  health.row('visit', 'spooled');
  health.row('postback', 'spooled');
  health.row('visit', 'unrecorded');
  health.row('postback', 'unrecorded');
  expect(told.slice(1)).toEqual([
    { database: 'away', disk: 'up', waiting: 0, unrecorded: 0, refused: 0 },
    { database: 'away', disk: 'failing', waiting: 2, unrecorded: 1, refused: 0 },
  ]);
  expect(health.news).toEqual({ database: 'away', disk: 'failing', waiting: 2, unrecorded: 1, refused: 1 });
  health.row('visit', 'spooled');
  expect(health.news.disk).toBe('up');
  health.databaseAnswered();
  expect(told.at(-1)).toEqual({ database: 'up', disk: 'up', waiting: 0, unrecorded: 0, refused: 0 });
  expect(Object.fromEntries(health.fates)).toEqual({
    'visit committed': 1,
    'visit spooled': 2,
    'visit unrecorded': 1,
    'postback spooled': 1,
    'postback unrecorded': 1,
  });
});
