import { describe, expect, it } from '@jest/globals';
import { isCounted, isTakenBack, sqlStatuses, statuses, statusOf } from './statuses.ts';

describe('the statuses of a conversion', () => {
  it('move as partners really decide; back to pending only with a time of the change', () => {
    const moves = statuses.flatMap((from) => statusOf[from].moves.map((to) => `${from} → ${to}`));
    expect(moves).toEqual([
      'pending → approved',
      'pending → rejected',
      'pending → reversed',
      'approved → reversed',
      'approved → rejected',
      'rejected → approved',
      'reversed → approved',
    ]);
    expect(statuses.filter((s) => statusOf[s].movesWhenTimed.includes('pending'))).toEqual([
      'approved',
      'rejected',
    ]);
  });
  it('stand in one balance each, or in none once they are taken back', () => {
    expect(statuses.map((s) => statusOf[s].balance)).toEqual(['hold', 'earn', null, null]);
    expect(statuses.filter(isCounted)).toEqual(['pending', 'approved']);
    expect(statuses.filter(isTakenBack)).toEqual(['rejected', 'reversed']);
    expect(sqlStatuses((s) => statusOf[s].isDecided)).toBe(`'approved', 'rejected', 'reversed'`);
  });
});
