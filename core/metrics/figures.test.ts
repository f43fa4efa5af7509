import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import type { Figures } from '../contract/index.ts';
import {
  addFigures,
  addSums,
  approvalRates,
  figures,
  noVisits,
  type ConversionSums,
  type Sums,
} from './figures.ts';
import { figureNames } from './registry.ts';

const conv = (c: Partial<ConversionSums>): ConversionSums => ({
  offerId: 'o',
  networkId: 'n',
  eventTypeId: 'e',
  status: 'approved',
  countsAsConversion: true,
  countsAsRevenue: true,
  estimated: 0n,
  partner: 0n,
  count: 1,
  amount: 10_000_000n,
  ...c,
});
const sums = (s: Partial<Sums>): Sums => ({ visits: noVisits, conversions: [], unconverted: [], ...s });
const half = approvalRates([{ offerId: 'o', networkId: 'n', eventTypeId: 'e', approved: 20, decided: 40 }]);

describe('figures', () => {
  it('expect what is on hold at its approval rate', () => {
    const f = figures(
      sums({
        visits: { ...noVisits, visits: 200, sentToOffer: 100, spent: 12_000_000n },
        conversions: [
          conv({}),
          conv({ status: 'pending', amount: 6_000_000n }),
          conv({ status: 'rejected' }),
        ],
      }),
      half,
    );
    expect(f).toMatchObject({
      earnedMicros: '10000000',
      onHoldMicros: '6000000',
      expectedMicros: '13000000',
      profitMicros: '1000000',
      conversions: 2,
      cr: 0.01,
      approval: 0.5,
      paidPerVisitMicros: '60000',
      earnedPerOfferClickMicros: '130000',
    });
    expect(f.roi).toBeCloseTo(1 / 12);
  });
  it('are the same when only some are asked for, and then no others are there', () => {
    const of = sums({
      visits: { ...noVisits, visits: 200, unique: 150, spent: 12_000_000n },
      conversions: [conv({}), conv({ status: 'pending', amount: 6_000_000n })],
    });
    const all = figures(of, half);
    fc.assert(
      fc.property(fc.subarray([...figureNames]), (names) => {
        const { holdRates, unconverted, ...some } = figures(of, half, 'expected', new Set(names));
        expect([holdRates, unconverted]).toEqual([all.holdRates, all.unconverted]);
        expect(some).toEqual(Object.fromEntries(names.map((name) => [name, all[name]])));
      }),
    );
  });
  it('count what partners get as spent, also where no visit has a cost', () => {
    const visits = { ...noVisits, visits: 10, withoutCost: 10 };
    const conversions = [
      conv({ partner: 4_000_000n }),
      conv({ partner: 1_000_000n, countsAsRevenue: false }),
      conv({ status: 'rejected', partner: 0n }),
    ];
    const f = figures(sums({ visits, conversions }), half);
    expect(f).toMatchObject({
      spentMicros: '5000000',
      partnerMicros: '5000000',
      marginMicros: '5000000',
      marginShare: 0.5,
      profitMicros: '5000000',
      roi: 1,
      estimatedCostMicros: '0',
    });
    const bought = figures(
      sums({ visits: { ...noVisits, visits: 5, spent: 2_000_000n, linkCost: 500_000n } }),
      half,
    );
    expect(addFigures([f, bought])).toMatchObject({
      spentMicros: '7000000',
      partnerMicros: '5000000',
      marginMicros: '5000000',
      profitMicros: '3000000',
      estimatedCostMicros: '1500000',
    });
    expect(figures(sums({ visits }), half)).toMatchObject({ profitMicros: null, marginShare: null });
  });
  it('say how much of what is expected is an estimate', () => {
    const f = figures(
      sums({
        conversions: [
          conv({ estimated: 4_000_000n }),
          conv({ status: 'pending', amount: 6_000_000n, estimated: 6_000_000n }),
          conv({ status: 'rejected', estimated: 10_000_000n }),
          conv({ countsAsRevenue: false, estimated: 10_000_000n }),
        ],
      }),
      half,
    );
    expect(f).toMatchObject({ expectedMicros: '13000000', estimatedMicros: '7000000' });
    expect(f.estimatedShare).toBeCloseTo(7 / 13);
    expect(addFigures([f, f])).toMatchObject({
      estimatedMicros: '14000000',
      estimatedShare: f.estimatedShare,
    });
    expect(figures(sums({}), half)).toMatchObject({ estimatedMicros: '0', estimatedShare: null });
  });
  it('take as revenue what is asked for; expected and spent stay', () => {
    const given = sums({
      visits: { ...noVisits, visits: 200, sentToOffer: 100, spent: 4_000_000n },
      conversions: [conv({}), conv({ status: 'pending', amount: 6_000_000n })],
    });
    const of = (basis: 'expected' | 'earned' | 'all') => figures(given, half, basis);
    expect(of('expected')).toMatchObject({ profitMicros: '9000000', roas: 3.25, expectedMicros: '13000000' });
    expect(of('earned')).toMatchObject({ profitMicros: '6000000', roas: 2.5, expectedMicros: '13000000' });
    expect(of('all')).toMatchObject({ profitMicros: '12000000', earnedPerThousandMicros: '80000000' });
  });
  it('are empty where they would divide by zero', () => {
    expect(figures(sums({}), half)).toMatchObject({
      roi: null,
      cr: null,
      approval: null,
      paidPerVisitMicros: null,
    });
  });
  it('leave out event types that count as neither', () => {
    const f = figures(
      sums({ conversions: [conv({ countsAsConversion: false }), conv({ countsAsRevenue: false })] }),
      half,
    );
    expect([f.conversions, f.earnedMicros]).toEqual([1, '10000000']);
  });
});

describe('approval', () => {
  it('is the network’s until 30 are decided, and all of it while none is', () => {
    const rates = approvalRates([
      { offerId: 'a', networkId: 'n', eventTypeId: 'e', approved: 29, decided: 29 },
      { offerId: 'b', networkId: 'n', eventTypeId: 'e', approved: 11, decided: 31 },
    ]);
    expect(rates('a', 'n', 'e')).toEqual({ basis: 'n|e', approved: 40, decided: 60 });
    expect(rates('b', 'n', 'e')).toEqual({ basis: 'b|e', approved: 11, decided: 31 });
    expect(rates('c', 'other', 'e')).toMatchObject({ approved: 0, decided: 0 });
  });
});

describe('a cost that is not known', () => {
  const unknown = sums({
    visits: { ...noVisits, visits: 40, withoutCost: 40 },
    conversions: [conv({ amount: 5_000_000n })],
  });
  it('leaves profit and ROI open, and says for how many visits', () => {
    expect(figures(unknown, half)).toMatchObject({
      profitMicros: null,
      roi: null,
      withoutCost: 40,
      expectedMicros: '5000000',
      paidPerVisitMicros: null,
    });
  });
  it('of some visits only: profit without them, paid per visit over those that have one', () => {
    const some = sums({ visits: { ...noVisits, visits: 50, withoutCost: 10, spent: 8_000_000n } });
    expect(figures(some, half)).toMatchObject({ profitMicros: '-8000000', paidPerVisitMicros: '200000' });
  });
  it('stays out of profit and ROI of a total, and is in all the rest', () => {
    const known = sums({
      visits: { ...noVisits, visits: 100, spent: 4_000_000n },
      conversions: [conv({ amount: 6_000_000n })],
    });
    const total = addFigures([known, unknown].map((s) => figures(s, half)));
    expect(total).toMatchObject({
      profitMicros: '2000000',
      roi: 0.5,
      earnedMicros: '11000000',
      visits: 140,
      conversions: 2,
    });
    expect(addFigures([figures(unknown, half)]).profitMicros).toBeNull();
    expect(addFigures([])).toEqual(figures(sums({}), half));
  });
});

it('money on hold names the approval that it is expected at, and what that rests on', () => {
  const f = figures(sums({ conversions: [conv({ status: 'pending' }), conv({})] }), half);
  expect(f.holdRates).toEqual([{ basis: 'o|e', approved: 20, decided: 40 }]);
  expect(f).toMatchObject({ approved: 1, decided: 1 });
});

it('a total is the figures of the summed sums, whatever is added first', () => {
  const amount = fc.bigInt({ min: 0n, max: 10n ** 12n });
  const status = fc.constantFrom('pending', 'approved', 'rejected', 'reversed');
  const one = fc.record({
    visits: fc.integer({ min: 1, max: 1000 }),
    spent: amount,
    conversions: fc.array(
      fc.record({ amount, status, offerId: fc.constantFrom('o', 'p'), count: fc.nat(5) }),
      { maxLength: 4 },
    ),
  });
  const toSums = (r: { visits: number; spent: bigint; conversions: Partial<ConversionSums>[] }): Sums =>
    sums({
      visits: { ...noVisits, visits: r.visits, sentToOffer: r.visits, spent: r.spent },
      conversions: r.conversions.map(conv),
      unconverted: [{ currency: 'USD', spent: r.spent, earned: 1n, onHold: 0n }],
    });
  const sorted = (f: Figures): Figures => ({
    ...f,
    holdRates: [...f.holdRates].sort((a, b) => a.basis.localeCompare(b.basis)),
  });
  fc.assert(
    fc.property(fc.array(one, { minLength: 1 }), fc.nat(), (rows, cut) => {
      const parts = rows.map(toSums);
      const of = (list: Sums[]): Figures => figures(addSums(list), half);
      const at = cut % (parts.length + 1);
      const groups = [parts.slice(0, at), parts.slice(at)].filter((g) => g.length > 0);
      expect(sorted(addFigures(groups.map(of)))).toEqual(sorted(of(parts)));
    }),
  );
});
