import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { compareStrength, type CostEntry } from './entries.ts';
import { settle, withFee, type CostCell, type Settled } from './settle.ts';

const entry = (id: string, amount: number, more: Partial<CostEntry> = {}): CostEntry => ({
  id,
  channel: 'file',
  amount: BigInt(amount),
  isCredit: false,
  currency: 'EUR',
  feePercent: 0n,
  from: 0,
  to: 10,
  order: 0,
  campaignId: '',
  accountId: '',
  subs: {},
  ...more,
});
const cell = (count: number, more: Partial<CostCell> = {}): CostCell => ({
  at: 0,
  count,
  campaignId: 'A',
  accountId: '',
  subs: {},
  hasLinkCost: false,
  ...more,
});
/** What all visits of each cell cost, the first ones of an entry first. */
function costs(settled: Settled, cells: readonly CostCell[]): bigint[] {
  const given = settled.spreads.map(() => 0);
  const take = (place: number, count: number): bigint => {
    const { each, more } = settled.spreads[place]!;
    const before = given[place]!;
    given[place] = before + count;
    const extra = Math.max(0, Math.min(more, before + count) - Math.min(more, before));
    return each * BigInt(count) + BigInt(extra);
  };
  return cells.map((c, i) => {
    const own = settled.follows[i]! < 0 ? 0n : take(settled.follows[i]!, c.count);
    return settled.credits[i]!.reduce((sum, place) => sum - take(place, c.count), own);
  });
}
const total = (all: readonly bigint[]): bigint => all.reduce((a, b) => a + b, 0n);

describe('a total', () => {
  it('is spread exactly, the first visits carry what does not divide', () => {
    const cells = [cell(2), cell(1, { campaignId: 'B' })];
    const settled = settle([entry('1', 100)], cells);
    expect(settled.spreads).toMatchObject([{ visits: 3, each: 33n, more: 1 }]);
    expect(costs(settled, cells)).toEqual([67n, 33n]);
  });
  it('loses what narrower ones inside it tell, and the rest goes to the other visits', () => {
    const cells = [cell(2, { subs: { site: 'a' } }), cell(4, { subs: { site: 'b' } })];
    const narrow = entry('n', 30, { campaignId: 'A', subs: { site: 'a' } });
    expect(costs(settle([entry('w', 100, { campaignId: 'A' }), narrow], cells), cells)).toEqual([30n, 70n]);
  });
  it('is never spread below zero', () => {
    const cells = [cell(1, { subs: { site: 'a' } }), cell(1, { subs: { site: 'b' } })];
    const settled = settle([entry('w', 10), entry('n', 30, { subs: { site: 'a' } })], cells);
    expect(costs(settled, cells)).toEqual([30n, 0n]);
    expect(settled.unallocated).toEqual([]);
  });
  it('through three levels deducts each of them once', () => {
    const cells = [
      cell(1, { subs: { site: 'a', ad: '1' } }),
      cell(1, { subs: { site: 'a', ad: '2' } }),
      cell(1, { subs: { site: 'b' } }),
    ];
    const all = [
      entry('1', 100),
      entry('2', 30, { subs: { site: 'a' } }),
      entry('3', 10, { subs: { site: 'a', ad: '1' } }),
    ];
    expect(costs(settle(all, cells), cells)).toEqual([10n, 20n, 70n]);
  });
  it('without visits is unallocated, and still deducted from the one around it', () => {
    const cells = [cell(5)];
    const settled = settle([entry('w', 100), entry('n', 40, { subs: { site: 'gone' } })], cells);
    expect(costs(settled, cells)).toEqual([60n]);
    expect(settled.unallocated).toMatchObject([{ entry: { id: 'n' }, amount: 40n }]);
  });
  it('leaves what narrower ones do not explain unallocated when they have all visits', () => {
    const cells = [cell(5, { subs: { site: 'a' } })];
    const settled = settle([entry('w', 100), entry('n', 40, { subs: { site: 'a' } })], cells);
    expect([costs(settled, cells), settled.unallocated[0]?.amount]).toEqual([[40n], 60n]);
  });
  it('entered again replaces the one before it', () => {
    const cells = [cell(2)];
    const settled = settle([entry('1', 100, { order: 1 }), entry('2', 80, { order: 2 })], cells);
    expect([total(costs(settled, cells)), settled.unallocated]).toEqual([80n, []]);
  });
  it('of a file wins over a feed that is narrower', () => {
    const cells = [cell(2, { subs: { site: 'a' } })];
    const feed = entry('f', 70, { channel: 'feed', subs: { site: 'a' } });
    expect(total(costs(settle([entry('w', 50), feed], cells), cells))).toBe(50n);
  });
  it('that overlaps a stronger one in part loses the share of the visits that both cover', () => {
    const cells = [cell(1, { at: 0 }), cell(1, { at: 5 }), cell(2, { at: 15 })];
    const early = entry('e', 20, { from: 0, to: 10 });
    const late = entry('l', 60, { from: 5, to: 30 });
    // The shorter one is narrower: half of it is in the other's time.
    expect(costs(settle([early, late], cells), cells)).toEqual([10n, 10n, 50n]);
  });
  it('in another currency is not deducted', () => {
    const cells = [cell(1, { subs: { site: 'a' } }), cell(1)];
    const dollars = entry('n', 30, { subs: { site: 'a' }, currency: 'USD' });
    expect(costs(settle([entry('w', 100), dollars], cells), cells)).toEqual([30n, 100n]);
  });
  it('carries the fee of its source on top', () => {
    const cells = [cell(3)];
    expect(total(costs(settle([entry('1', 1000, { feePercent: 2_500_000n })], cells), cells))).toBe(1025n);
    expect(withFee(1n, 50_000_000n)).toBe(2n);
  });
});

describe('a model', () => {
  const model = entry('m', 90, { channel: 'model', campaignId: 'A' });
  it('gives way to costs from links, and to what a source billed', () => {
    const cells = [cell(1, { hasLinkCost: true }), cell(1), cell(1, { subs: { site: 'a' } })];
    const settled = settle([model, entry('n', 30, { subs: { site: 'a' } })], cells);
    // Of an entry that both cover in part, half.
    expect(settled.follows.map((f) => (f < 0 ? '' : settled.spreads[f]!.entry.id))).toEqual(['', 'm', 'n']);
  });
  it('estimates nothing for visits whose cost is known', () => {
    const cells = [cell(1)];
    expect(settle([model, entry('w', 30)], cells).unallocated).toEqual([]);
  });
});

it('a credit is spread over all visits of its scope, whatever they follow', () => {
  const cells = [cell(1, { subs: { site: 'a' } }), cell(1)];
  const credit = entry('c', 10, { isCredit: true });
  const settled = settle([entry('n', 30, { subs: { site: 'a' } }), credit], cells);
  expect(costs(settled, cells)).toEqual([25n, -5n]);
  expect(settle([credit], []).unallocated).toMatchObject([{ amount: -10n }]);
});

const someEntry = fc.record({
  id: fc.uuid(),
  channel: fc.constantFrom('file' as const, 'feed' as const, 'model' as const),
  amount: fc.bigInt({ min: 0n, max: 10_000n }),
  isCredit: fc.constant(false),
  currency: fc.constant('EUR'),
  feePercent: fc.constantFrom(0n, 5_000_000n),
  from: fc.integer({ min: 0, max: 3 }).map((n) => n * 5),
  to: fc.constant(20),
  order: fc.integer({ min: 0, max: 3 }),
  campaignId: fc.constantFrom('', 'A', 'B'),
  accountId: fc.constant(''),
  subs: fc.constantFrom({}, { site: 'a' }, { zone: '1' }, { site: 'a', zone: '1' }),
}) as fc.Arbitrary<CostEntry>;
const someCell = fc.record({
  at: fc.integer({ min: 0, max: 3 }).map((n) => n * 5),
  count: fc.integer({ min: 1, max: 7 }),
  campaignId: fc.constantFrom('A', 'B', 'C'),
  accountId: fc.constant(''),
  subs: fc.record({ site: fc.constantFrom('', 'a'), zone: fc.constantFrom('', '1') }),
  hasLinkCost: fc.boolean(),
}) as fc.Arbitrary<CostCell>;

describe('whatever is entered', () => {
  const settledCase = fc.tuple(
    fc.uniqueArray(someEntry, { selector: (e) => e.id, maxLength: 8 }),
    fc.array(someCell, { maxLength: 12 }),
  );
  it('each visit follows the strongest entry that has it', () => {
    fc.assert(
      fc.property(settledCase, ([entries, cells]) => {
        const settled = settle(entries, cells);
        cells.forEach((c, i) => {
          const [strongest] = entries
            .filter(
              (e) =>
                e.from <= c.at &&
                c.at < e.to &&
                (e.campaignId === '' || e.campaignId === c.campaignId) &&
                Object.entries(e.subs).every(([name, value]) => c.subs[name] === value) &&
                !(c.hasLinkCost && e.channel === 'model'),
            )
            .sort(compareStrength);
          const place = settled.follows[i]!;
          expect(place < 0 ? undefined : settled.spreads[place]!.entry.id).toBe(strongest?.id);
        });
      }),
    );
  });
  it('every micro-unit of a spread is on a visit, and the order of entries is nothing', () => {
    fc.assert(
      fc.property(settledCase, ([entries, cells]) => {
        const settled = settle(entries, cells);
        const spread = total(settled.spreads.map((s) => s.amount));
        expect(total(costs(settled, cells))).toBe(spread);
        const turned = settle([...entries].reverse(), cells);
        expect(costs(turned, cells)).toEqual(costs(settled, cells));
        expect(total(turned.unallocated.map((u) => u.amount))).toBe(
          total(settled.unallocated.map((u) => u.amount)),
        );
      }),
    );
  });
});
