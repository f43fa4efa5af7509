import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { drawWeighted } from './choose.ts';
import { seededRandom } from '../chance/index.ts';
import { automaticOdds, FLOOR, type Arm } from './automatic.ts';

const arm = (pairingId: string, visits: number, conversions: number, payout = 10): Arm => ({
  pairingId,
  visits,
  conversions,
  expectedMicros: conversions * payout * 1_000_000,
});
const oddsOf = (...arms: Arm[]): number[] => automaticOdds(arms, 1).arms.map((a) => a.odds);

describe('the odds of an automatic split', () => {
  it('are even until every pairing has been tried', () => {
    expect(automaticOdds([arm('a', 5000, 200), arm('b', 99, 0)], 1)).toMatchObject({
      state: 'warm_up',
      arms: [{ odds: 0.5, chanceOfBest: null }, { odds: 0.5 }],
    });
    expect(automaticOdds([arm('a', 5000, 9), arm('b', 5000, 0)], 1).state).toBe('warm_up');
  });
  it('go to the one that earns most per visit, whether by rate or by payout', () => {
    expect(oddsOf(arm('a', 4000, 120), arm('b', 4000, 60))[0]).toBeGreaterThan(0.95);
    expect(oddsOf(arm('a', 4000, 60, 30), arm('b', 4000, 120, 10))[0]).toBeGreaterThan(0.9);
  });
  it('stay open where nobody can tell yet', () => {
    for (const odds of oddsOf(arm('a', 2000, 40), arm('b', 2000, 41))) expect(odds).toBeGreaterThan(0.3);
  });
  it('are the same for the same seed', () => {
    const arms = [arm('a', 900, 20), arm('b', 800, 22), arm('c', 850, 15)];
    expect(automaticOdds(arms, 5)).toEqual(automaticOdds(arms, 5));
  });
  it('are 1 together, and never under the floor', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            visits: fc.double({ min: 0, max: 1e6, noNaN: true }),
            conversions: fc.nat(5000),
            payout: fc.nat(500),
          }),
          { minLength: 2, maxLength: 50 },
        ),
        (list) => {
          const arms = list.map((a, i) => arm(`p${i}`, a.visits, a.conversions, a.payout));
          const odds = automaticOdds(arms, 3, 200).arms.map((a) => a.odds);
          expect(odds.reduce((sum, o) => sum + o, 0)).toBeCloseTo(1, 9);
          const floor = Math.min(FLOOR, 1 / (2 * arms.length));
          for (const o of odds) expect(o).toBeGreaterThanOrEqual(floor - 1e-12);
        },
      ),
      { numRuns: 60 },
    );
  });
  it('find the best pairing in simulated traffic, and earn nearly what always choosing it would', () => {
    const rates = [0.03, 0.02, 0.015];
    const random = seededRandom(11);
    const arms = rates.map((_, i) => arm(`p${i}`, 0, 0));
    const odds: number[] = [];
    let earned = 0;
    const visits = 30_000;
    for (let v = 0; v < visits; v++) {
      if (v % 500 === 0) for (const [i, o] of automaticOdds(arms, v, 1000).arms.entries()) odds[i] = o.odds;
      const i = drawWeighted(odds, random());
      arms[i]!.visits++;
      // By the true rates, so that the luck of single conversions says nothing here.
      earned += rates[i]!;
      if (random() < rates[i]!) {
        arms[i]!.conversions++;
        arms[i]!.expectedMicros += 10_000_000;
      }
    }
    const [best, even] = [visits * 0.03, (visits * (0.03 + 0.02 + 0.015)) / 3];
    expect(earned).toBeGreaterThan(even + 0.75 * (best - even));
    expect(arms[0]!.visits / visits).toBeGreaterThan(0.75);
  });
});
