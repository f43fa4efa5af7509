import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { addSums, approvalRates, figures, noVisits, type ConversionSums, type Sums } from './figures.ts';

const conv = (c: Partial<ConversionSums>): ConversionSums => ({
  offerId: 'o',
  networkId: 'n',
  eventTypeId: 'e',
  status: 'approved',
  countsAsConversion: true,
  countsAsRevenue: true,
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
    expect(rates('a', 'n', 'e')).toEqual([40, 60]);
    expect(rates('b', 'n', 'e')).toEqual([11, 31]);
    expect(rates('c', 'other', 'e')).toEqual([1, 1]);
  });
});

it('totals are the figures of the summed sums', () => {
  const any = fc.record({
    visits: fc.nat(1000),
    spent: fc.bigInt({ min: 0n, max: 10n ** 12n }),
    earned: fc.bigInt({ min: 0n, max: 10n ** 12n }),
  });
  fc.assert(
    fc.property(fc.array(any, { minLength: 1 }), (rows) => {
      const parts = rows.map((r) =>
        sums({
          visits: { ...noVisits, visits: r.visits, spent: r.spent },
          conversions: [conv({ amount: r.earned })],
        }),
      );
      const total = figures(addSums(parts), half);
      const added = parts.map((p) => BigInt(figures(p, half).profitMicros)).reduce((a, b) => a + b);
      expect(BigInt(total.profitMicros)).toBe(added);
      expect(total.conversions).toBe(rows.length);
    }),
  );
});
