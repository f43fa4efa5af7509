import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { drawGamma, seededRandom } from '../chance/index.ts';
import { verdictRules } from '../contract/index.ts';
import { chanceOfProfit, verdictOn, type Evidence, type VerdictGround } from './index.ts';

const rules = verdictRules.parse({});
const ground: VerdictGround = { payout: 12, usualReturn: 1, rules };
const on = (evidence: Partial<Evidence>, more: Partial<VerdictGround> = {}) =>
  verdictOn({ visits: 1000, spent: 24, expected: 0, conversions: 0, ...evidence }, { ...ground, ...more });

describe('chance of profit', () => {
  it('is the share of draws from the same posterior that earn more than they cost', () => {
    for (const [spent, earned, usualReturn] of [
      [5.6, 1, 1.2],
      [0.4, 0, 0.8],
      [8, 9.5, 1],
      [60, 80, 1.3],
    ] as const) {
      const random = seededRandom(11);
      const draws = 20_000;
      let over = 0;
      for (let i = 0; i < draws; i++) if (drawGamma(usualReturn + earned, random) / (1 + spent) > 1) over++;
      expect(chanceOfProfit({ spent, earned, usualReturn })).toBeCloseTo(over / draws, 1.7);
    }
  });
  it('falls with cost, rises with revenue, and stays between 0 and 1', () => {
    const amount = fc.double({ min: 0, max: 5000, noNaN: true });
    fc.assert(
      fc.property(amount, amount, amount, (spent, earned, usualReturn) => {
        const chance = chanceOfProfit({ spent, earned, usualReturn });
        expect(chance).toBeGreaterThanOrEqual(0);
        expect(chance).toBeLessThanOrEqual(1);
        expect(chanceOfProfit({ spent: spent + 1, earned, usualReturn })).toBeLessThanOrEqual(chance + 1e-9);
        expect(chanceOfProfit({ spent, earned: earned + 1, usualReturn })).toBeGreaterThanOrEqual(
          chance - 1e-9,
        );
      }),
    );
  });
  it('is none where nothing was ever earned', () => {
    expect(chanceOfProfit({ spent: 1, earned: 0, usualReturn: 0 })).toBe(0);
  });
});

describe('a verdict', () => {
  it('cuts what spent two payouts without a conversion, and what hardly can earn', () => {
    expect(on({ spent: 24 }, { usualReturn: 9 })).toMatchObject({ kind: 'cut', spentPayouts: 2 });
    expect(on({ spent: 72, expected: 12, conversions: 1 })).toMatchObject({
      kind: 'cut',
      usualConversions: 6,
    });
  });
  it('never cuts before one payout is spent', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0.001, max: 11.999, noNaN: true }),
        fc.double({ min: 0, max: 100, noNaN: true }),
        fc.integer({ min: 1, max: 100_000 }),
        (spent, usualReturn, visits) => {
          expect(on({ spent, visits }, { usualReturn }).kind).toBe('too_early');
        },
      ),
    );
  });
  it('bids up what surely earns, to the bid that leaves the wanted ROI; keeps it where that bid is paid already', () => {
    const good = { spent: 120, expected: 240, conversions: 20 };
    expect(on(good)).toMatchObject({ kind: 'bid_up', breakEven: 0.24, bid: 0.24 });
    expect(on(good, { rules: { ...rules, wantedRoi: 50 } }).bid).toBeCloseTo(0.16);
    expect(on(good, { rules: { ...rules, wantedRoi: 150 } })).toMatchObject({ kind: 'keep', bid: null });
  });
  it('bids down what loses but may still earn, and keeps what covers its cost', () => {
    expect(on({ spent: 88, expected: 70, conversions: 7 })).toMatchObject({ kind: 'bid_down', bid: 0.07 });
    expect(on({ spent: 104, expected: 106, conversions: 9 })).toMatchObject({ kind: 'keep', bid: null });
  });
  it('cuts by ROI alone where the desk says so, once enough is spent', () => {
    const poor = { rules: { ...rules, cutRoi: -20 } };
    expect(on({ spent: 88, expected: 70, conversions: 7 }, poor).kind).toBe('cut');
    expect(on({ spent: 88, expected: 71, conversions: 7 }, poor).kind).toBe('bid_down');
    expect(on({ spent: 48, expected: 38, conversions: 4 }, poor).kind).toBe('too_early');
  });
  it('says about how many visits it still needs', () => {
    // 36 of 60 are spent by 1 000 visits, so that 24 more take 667; sooner if it goes on well.
    const early = on({ spent: 36, expected: 38, conversions: 3 });
    expect(early).toMatchObject({ kind: 'too_early', moreVisits: 667 });
    expect(on({ spent: 36, expected: 72, conversions: 6 }, { usualReturn: 2 }).moreVisits).toBeLessThan(667);
    // Without a conversion, two payouts decide: 1.5 are spent.
    expect(on({ spent: 18 }).moreVisits).toBeGreaterThan(150);
    expect(on({ spent: 18 }).moreVisits).toBeLessThan(400);
  });
  it('is not given where cost or payout are not known', () => {
    expect(on({ spent: null }).kind).toBe('no_cost');
    expect(on({ spent: 0 }).kind).toBe('no_cost');
    expect(on({}, { payout: null }).kind).toBe('no_payout');
  });
  it('goes by even chances before anything has earned', () => {
    expect(on({ spent: 18 }, { usualReturn: null })).toMatchObject({
      kind: 'too_early',
      usualConversions: null,
    });
  });
});
