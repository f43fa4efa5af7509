import { describe, expect, it } from '@jest/globals';
import { automaticOdds, comparePairings, twoProportions } from './index.ts';

const arm = (pairingId: string, visits: number, conversions: number, payout = 10) => ({
  pairingId,
  visits,
  conversions,
  expectedMicros: conversions * payout * 1e6,
});

describe('pairings beside each other', () => {
  it('name the best once it is clear, as the automatic split would', () => {
    const arms = [arm('a', 2000, 40), arm('b', 2000, 90)];
    const compared = comparePairings(arms, 3, 10_000);
    expect(compared).toMatchObject({ state: 'clear', bestId: 'b', moreVisits: null });
    expect(compared.pairings.map((p) => p.chanceOfBest)).toEqual(
      automaticOdds(arms, 3, 10_000).arms.map((a) => a.chanceOfBest),
    );
    const [a, b] = compared.pairings;
    expect([b!.perVisit, a!.perVisit]).toEqual([450_000, 200_000]);
    for (const p of [a!, b!]) expect(p.low! < p.perVisit! && p.perVisit! < p.high!).toBe(true);
    // Per 1 000 visits the worse one earns 250.00 less; the better one is hardly ever wrong.
    expect(a!.lossPerThousand! / 1e6).toBeGreaterThan(200);
    expect(a!.lossPerThousand! / 1e6).toBeLessThan(300);
    expect(b!.lossPerThousand! / 1e6).toBeLessThan(1);
  });
  it('go by what a conversion pays, not by their number', () => {
    expect(comparePairings([arm('a', 1000, 30, 30), arm('b', 1000, 40, 10)], 1).bestId).toBe('a');
  });
  it('say how many more visits a clear answer takes: fewer for a larger difference', () => {
    const far = comparePairings([arm('a', 200, 4), arm('b', 200, 8)], 1);
    const near = comparePairings([arm('a', 200, 5), arm('b', 200, 6)], 1);
    expect([far.state, near.state]).toEqual(['early', 'early']);
    // 2 % against 4 %: about 1 140 visits each (Fleiss), and 200 are there.
    expect(far.moreVisits).toBeGreaterThan(700);
    expect(far.moreVisits).toBeLessThan(1300);
    expect(near.moreVisits).toBeGreaterThan(far.moreVisits!);
  });
  it('have nothing to compare before anything converts', () => {
    expect(comparePairings([arm('a', 100, 0), arm('b', 0, 0)], 1)).toMatchObject({
      state: 'none',
      bestId: '',
      pValue: null,
      pairings: [{ chanceOfBest: null, perVisit: 0 }, { perVisit: null }],
    });
  });
});

it('two proportions differ by chance as a table says', () => {
  // z = 2.0520 for 40 and 60 of 1 000 … worked out apart.
  expect(twoProportions(arm('a', 1000, 40), arm('b', 1000, 60))).toBeCloseTo(0.0403, 3);
  expect(twoProportions(arm('a', 1000, 40), arm('b', 1000, 40))).toBeCloseTo(1, 6);
  expect(twoProportions(arm('a', 0, 0), arm('b', 10, 1))).toBeNull();
  expect(twoProportions(arm('a', 10, 0), arm('b', 10, 0))).toBeNull();
});
