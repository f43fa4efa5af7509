import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { signalKinds } from '../contract/index.ts';
import { delayCurves } from '../metrics/index.ts';
import { isExplained, signalKindWords } from './kinds.ts';
import { shareFell, spendRunsAway, sureWords, visitsAreMissing } from './rules.ts';
import { expectedSince } from './silence.ts';

it('every kind has its words', () => {
  for (const kind of signalKinds) expect(signalKindWords[kind].says).toMatch(/\.$/);
  expect(isExplained('no_visits', new Set(['domain_trouble']))).toBe(true);
  expect(isExplained('no_visits', new Set(['page_broken']))).toBe(false);
});

describe('visits', () => {
  it('are missing only where enough were to be expected', () => {
    expect(visitsAreMissing({ visits: 0, usual: 9.9 })).toBeNull();
    expect(visitsAreMissing({ visits: 0, usual: 10 })).toBeCloseTo(0.99995, 4);
    expect(visitsAreMissing({ visits: 1, usual: 1000 })).toBeNull();
  });
});

describe('spend', () => {
  const before = [10, 12, 9, 11, 10, 10, 12];
  it('runs away far above the usual, by more than two payouts', () => {
    expect(spendRunsAway({ spent: 60, before, payout: 10 })).toBeCloseTo(10.571, 2);
    expect(spendRunsAway({ spent: 25, before, payout: 10 })).toBeNull();
    expect(spendRunsAway({ spent: 29, before, payout: 10 })).toBeNull();
    expect(spendRunsAway({ spent: 29, before, payout: null })).not.toBeNull();
  });
  it('of which little is known, or that always swings, says nothing', () => {
    expect(spendRunsAway({ spent: 60, before: [10, 0, 0, 10], payout: 1 })).toBeNull();
    expect(spendRunsAway({ spent: 60, before: [1, 40, 2, 35, 1, 50], payout: 1 })).toBeNull();
  });
});

describe('a share', () => {
  const rule = { least: 0.1, fewest: 20 };
  it('has fallen when that is no chance', () => {
    expect(shareFell({ of: 40, all: 100 }, { of: 900, all: 1000 }, rule)).toBeGreaterThan(0.998);
    expect(shareFell({ of: 15, all: 20 }, { of: 900, all: 1000 }, rule)).toBeNull();
    expect(shareFell({ of: 0, all: 10 }, { of: 900, all: 1000 }, rule)).toBeNull();
    expect(shareFell({ of: 95, all: 100 }, { of: 900, all: 1000 }, rule)).toBeNull();
  });
  it('is never found to have fallen when it has not', () => {
    fc.assert(
      fc.property(fc.nat(500), fc.nat(500), fc.nat(500), (of, more, before) => {
        const now = { of, all: of + more };
        const sure = shareFell(now, { of: before, all: 1000 }, rule);
        if (sure !== null) expect(of / now.all).toBeLessThan(before / 1000 - 0.1 + 1e-9);
      }),
    );
  });
  it('is never said to be certain', () => {
    expect(sureWords(1)).toBe('more than 99.9 % sure');
    expect(sureWords(0.9876)).toBe('98.7 % sure');
  });
});

describe('postbacks that stay away', () => {
  const curve = delayCurves([])('o', 'n');
  it('were to be expected by rate and delay', () => {
    const visits = [{ hoursAgo: 24, count: 1000 }];
    const of = (silentHours: number) => expectedSince({ visits, rate: 0.01, curve, silentHours });
    // 80 % of ten conversions come within a day.
    expect(of(24)).toBeCloseTo(8, 5);
    expect(of(1)).toBeLessThan(0.2);
    expect(of(0)).toBe(0);
  });
  it('are the more, the longer the silence; and never more than all', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0, max: 200, noNaN: true }),
        fc.double({ min: 0, max: 200, noNaN: true }),
        (a, b) => {
          const visits = [
            { hoursAgo: 3, count: 50 },
            { hoursAgo: 60, count: 70 },
          ];
          const of = (silentHours: number) => expectedSince({ visits, rate: 0.1, curve, silentHours });
          expect(of(Math.min(a, b))).toBeLessThanOrEqual(of(Math.max(a, b)) + 1e-9);
          expect(of(Math.max(a, b))).toBeLessThanOrEqual(12 + 1e-9);
        },
      ),
    );
  });
});
