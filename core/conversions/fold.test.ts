import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { MAX_AMOUNT_MICROS } from '../money/index.ts';
import { balances } from './balances.ts';
import { foldOwner, REPEAT_WINDOW_MS } from './fold.ts';
import type { FoldRules, Signal } from './folded.ts';
import { postbacksDue, type ReportRules } from './postbacksDue.ts';

const rules: FoldRules = {
  repeats: false,
  payoutMeans: 'event',
  fixedPayout: null,
  defaultPayout: null,
  currency: 'EUR',
  windowEnd: Number.MAX_SAFE_INTEGER,
  partner: null,
};
const once = (statuses: ReportRules['statuses']): ReportRules => ({ statuses, again: 'never', delayMs: 0 });
let serial = 0;
const signal = ({ at, ...s }: Partial<Signal> & { at?: number }): Signal => ({
  receiptId: `R${String(serial++).padStart(4, '0')}`,
  receivedAt: at ?? serial,
  changedTime: null,
  about: null,
  partnerSide: null,
  sale: null,
  conversionTime: null,
  transaction: '',
  status: 'approved',
  payout: null,
  currency: null,
  ...s,
});
const stands = (c: Parameters<typeof balances>[0]): Record<string, bigint> =>
  Object.fromEntries(balances(c).map((b) => [b.kind, b.balance]));
type Given = Partial<Signal> & { at?: number };
const fold = (signals: Given[], r: Partial<FoldRules> = {}) => {
  const all = signals.map(signal);
  const folded = foldOwner(all, { ...rules, ...r });
  return { ...folded, said: all.map((s) => folded.verdicts.get(s.receiptId)!.verdict) };
};
const one = (signals: Given[], r: Partial<FoldRules> = {}) => {
  const folded = fold(signals, r);
  expect(folded.conversions).toHaveLength(1);
  return { ...folded.conversions[0]!, said: folded.said };
};

describe('moves of status', () => {
  const table: [string, string, boolean][] = [
    ['pending', 'approved', true],
    ['pending', 'rejected', true],
    ['pending', 'reversed', true],
    ['approved', 'reversed', true],
    ['approved', 'rejected', true],
    ['approved', 'pending', false],
    ['rejected', 'pending', false],
    ['rejected', 'approved', true],
    ['reversed', 'approved', true],
    ['reversed', 'pending', false],
    ['rejected', 'reversed', false],
    ['reversed', 'rejected', false],
  ];
  it.each(table)('%s → %s: %s', (from, to, allowed) => {
    const c = one([{ status: from as never, payout: 5n }, { status: to as never }]);
    expect(c.status).toBe(allowed ? to : from);
    expect(c.said[1]).toBe(allowed ? 'updated' : 'move_not_allowed');
  });
  it.each(['approved', 'rejected'])('%s → pending holds with changed_time', (from) => {
    const c = one([
      { status: from as never, payout: 5n },
      { status: 'pending', changedTime: 10_000 },
    ]);
    expect(c.status).toBe('pending');
  });
  it('never lets reversed go back to pending', () => {
    expect(one([{ status: 'reversed' }, { status: 'pending', changedTime: 9e5 }]).status).toBe('reversed');
  });
});

describe('a change by hand', () => {
  const first = { receiptId: 'R-first', status: 'approved' as const, payout: 5n };
  const byHand = { about: 'R-first', changedTime: 10_000 };
  it('is made to the conversion of its receipt, also where the event type repeats and nothing else tells them apart', () => {
    const { conversions, said } = fold(
      [
        first,
        { status: 'approved', payout: 6n, at: 10 * REPEAT_WINDOW_MS },
        { ...byHand, status: 'pending' },
      ],
      { repeats: true },
    );
    expect(conversions.map((c) => [c.status, c.payout])).toEqual([
      ['pending', 5n],
      ['approved', 6n],
    ]);
    expect(said[2]).toBe('updated');
  });
  it('sets the whole amount, also a fixed one and where the network reports differences', () => {
    const amount = { ...byHand, status: 'approved' as const, payout: 9n };
    expect(one([first, amount], { payoutMeans: 'difference' }).payout).toBe(9n);
    const later = { status: 'approved' as const, payout: 5n, changedTime: 20_000 };
    expect(one([first, amount, later], { fixedPayout: 4n }).payout).toBe(9n);
    // What the network reports later by its own is newer than the hand.
    expect(one([first, amount, { ...later, payout: 7n }]).payout).toBe(7n);
  });
  it('begins no conversion', () => {
    const { conversions, said } = fold([{ ...byHand, status: 'approved' }]);
    expect([conversions, said]).toEqual([[], ['nothing_to_change']]);
  });
});

describe('what was said before', () => {
  it('is a duplicate without changed_time', () => {
    const c = one([
      { status: 'pending', payout: 10n },
      { status: 'approved', payout: 10n },
      { status: 'pending', payout: 10n },
      { status: 'approved', payout: 10n },
    ]);
    expect(c.said).toEqual(['accepted', 'updated', 'duplicate', 'duplicate']);
    expect(stands(c)).toEqual({ hold: 0n, earn: 10n });
  });
  it('is read with what stood, when no payout came', () => {
    expect(one([{ payout: 10n }, {}]).said).toEqual(['accepted', 'duplicate']);
  });
  it('counts again with a later changed_time', () => {
    const c = one([
      { payout: 10n },
      { status: 'reversed', changedTime: 5000 },
      { payout: 10n, changedTime: 6000 },
    ]);
    expect(c.said).toEqual(['accepted', 'updated', 'updated']);
    expect(stands(c)).toEqual({ hold: 0n, earn: 10n });
  });
  it('is a duplicate with the same changed_time', () => {
    expect(
      one([
        { payout: 9n, changedTime: 7 },
        { payout: 9n, changedTime: 7 },
      ]).said[1],
    ).toBe('duplicate');
  });
});

describe('amounts', () => {
  it('change on approval, and are only noted when reversed', () => {
    expect(one([{ payout: 10n }, { payout: 12n }]).payout).toBe(12n);
    const c = one([{ payout: 10n }, { status: 'reversed', payout: 0n }]);
    expect([c.payout, stands(c).earn]).toEqual([10n, 0n]);
  });
  it('told with a rejection or a reversal are noted, in the currency that was told', () => {
    const c = one([{ payout: 10n }, { status: 'reversed', payout: -4n, currency: 'USD' }]);
    expect(c.noted).toEqual({ payout: -4n, currency: 'USD' });
    expect(one([{ payout: 10n }, { status: 'reversed', payout: 10n }]).noted).toBeNull();
    expect(one([{ status: 'rejected', payout: 7n }]).noted).toEqual({ payout: 7n, currency: 'EUR' });
  });
  it('of which the sum would be too large are kept and not booked; what stood stays', () => {
    const c = one([{ payout: MAX_AMOUNT_MICROS }, { payout: 1n }, { payout: -5n }], {
      payoutMeans: 'difference',
    });
    expect(c.said).toEqual(['accepted', 'amount_too_large', 'updated']);
    expect([c.payout, c.flags]).toEqual([MAX_AMOUNT_MICROS - 5n, ['amount_too_large']]);
  });
  it('fixed on the offer wins, and a differing report is flagged', () => {
    const c = one([{ payout: 10n }], { fixedPayout: 18n });
    expect([c.payout, c.flags]).toEqual([18n, ['payout_differs']]);
  });
  it('default to the offer’s, else to zero with a flag', () => {
    expect(one([{}], { defaultPayout: 7n }).payout).toBe(7n);
    expect(one([{}]).flags).toEqual(['no_payout']);
  });
  it('add up where the network tells differences', () => {
    const c = one([{ payout: 10n }, { payout: 5n }, { payout: 5n }, { payout: -3n }], {
      payoutMeans: 'difference',
    });
    expect(c.payout).toBe(12n);
    expect(c.said).toEqual(['accepted', 'updated', 'duplicate', 'updated']);
  });
});

describe('identity', () => {
  it('is the transaction; a first one adopts the conversion that began without', () => {
    const f = fold([{ payout: 5n }, { transaction: 'A', payout: 5n }, {}, { transaction: 'B', payout: 6n }]);
    expect(f.conversions.map((c) => c.ident)).toEqual(['t:A', 't:B']);
    expect(f.said).toEqual(['accepted', 'duplicate', 'duplicate', 'accepted']);
  });
  it('without a transaction is that of the only one; of several nobody knows which is meant', () => {
    expect(fold([{ transaction: 'A', payout: 5n, status: 'pending' }, {}]).said).toEqual([
      'accepted',
      'updated',
    ]);
    const f = fold([
      { transaction: 'A', payout: 5n, status: 'pending' },
      { transaction: 'B', payout: 6n, status: 'pending' },
      {},
    ]);
    expect(f.said).toEqual(['accepted', 'accepted', 'several_matches']);
    expect(f.conversions.map((c) => c.status)).toEqual(['pending', 'pending']);
  });
  it('keeps case', () => {
    expect(fold([{ transaction: 'a' }, { transaction: 'A' }]).conversions).toHaveLength(2);
  });
  it('of repeats without a sign of their own: ten minutes', () => {
    const at = 1_000_000;
    const f = fold(
      [
        { payout: 5n, at },
        { payout: 5n, at: at + REPEAT_WINDOW_MS },
        { payout: 5n, at: at + REPEAT_WINDOW_MS + 1 },
        { payout: 6n, at: at + 5 },
      ],
      { repeats: true },
    );
    expect(f.conversions).toHaveLength(3);
  });
  it('of repeats is the conversion time where told', () => {
    const f = fold([{ conversionTime: 1 }, { conversionTime: 2 }, { conversionTime: 1 }], { repeats: true });
    expect(f.conversions.map((c) => c.ident)).toEqual(['c:1', 'c:2']);
  });
  it('begins only inside the window, and is brought up to date after it', () => {
    const f = fold(
      [{ payout: 1n, at: 5, status: 'pending' }, { at: 20 }, { transaction: 'Z', payout: 2n, at: 21 }],
      { windowEnd: 10 },
    );
    expect(f.said).toEqual(['accepted', 'updated', 'updated']);
    expect(fold([{ at: 20 }], { windowEnd: 10 }).said).toEqual(['outside_window']);
  });
});

it('postbacks out once for each told status, in the order in which they were reached', () => {
  const c = one([{ status: 'pending', payout: 1n }, { payout: 1n }, { payout: 2n }, { status: 'reversed' }]);
  expect(postbacksDue(c, once(['pending', 'approved'])).map((t) => [t.status, t.payout])).toEqual([
    ['pending', 1n],
    ['approved', 1n],
  ]);
});

describe('postbacks out', () => {
  const c = one([
    { status: 'pending', payout: 1n, at: 10 },
    { payout: 1n, at: 20 },
    { payout: 2n, at: 30 },
    { status: 'reversed', at: 40 },
    { status: 'approved', payout: 2n, at: 50, changedTime: 50 },
  ]);
  const due = (more: Partial<ReportRules>) =>
    postbacksDue(c, { ...once(['approved', 'reversed']), ...more }).map((t) => [t.status, t.payout, t.nth]);

  it('are told again when the payout has changed, or each time', () => {
    const [first, more, gone] = [
      ['approved', 1n, 1],
      ['approved', 2n, 2],
      ['reversed', 2n, 1],
    ];
    expect(due({})).toEqual([first, gone]);
    expect(due({ again: 'payout' })).toEqual([first, more, gone]);
    expect(due({ again: 'each' })).toEqual([first, more, gone, ['approved', 2n, 3]]);
  });

  it('that are delayed tell only what stood until then', () => {
    expect(due({ delayMs: 10 })).toEqual([
      ['approved', 1n, 1],
      ['reversed', 2n, 1],
    ]);
    expect(due({ delayMs: 11 })).toEqual([['approved', 1n, 1]]);
    expect(due({ delayMs: 1000 })).toEqual([['approved', 2n, 1]]);
  });
});

describe('the law', () => {
  const anySignal = fc.record({
    at: fc.integer({ min: 1, max: 12 }).map((n) => n * 60_000),
    changedTime: fc.option(fc.integer({ min: 1, max: 12 }).map((n) => n * 60_000)),
    conversionTime: fc.option(fc.integer({ min: 1, max: 3 })),
    transaction: fc.constantFrom('', 'A', 'B'),
    status: fc.constantFrom('pending', 'approved', 'rejected', 'reversed') as fc.Arbitrary<Signal['status']>,
    payout: fc.option(fc.constantFrom(5n, 7n)),
    currency: fc.option(fc.constantFrom('EUR', 'USD')),
    sale: fc.option(fc.record({ amount: fc.constantFrom(50n, 70n), currency: fc.constantFrom(null, 'USD') })),
  });
  const anySide = fc.constantFrom(null, 'review', 'due') as fc.Arbitrary<Signal['partnerSide']>;
  /** One in four is about the conversion of some other receipt: a change by hand, or a decision on the partner's payout. */
  const withHands = fc
    .array(fc.tuple(anySignal, fc.option(fc.nat({ max: 9 }), { freq: 4 }), anySide), {
      minLength: 1,
      maxLength: 8,
    })
    .map((raw) => {
      const all = raw.map(([s]) => signal(s));
      return all.map((s, i) => {
        const [, about, partnerSide] = raw[i]!;
        if (about === null || about >= all.length) return s;
        return { ...s, about: all[about]!.receiptId, partnerSide };
      });
    });
  const anyRules = fc.record({
    repeats: fc.boolean(),
    payoutMeans: fc.constantFrom('event', 'total', 'difference') as fc.Arbitrary<FoldRules['payoutMeans']>,
    partner: fc.option(
      fc.record({
        pays: fc.constantFrom(
          { fixed: 3n, currency: 'USD' },
          { share: 40_000_000n, of: 'revenue' as const },
          { share: 40_000_000n, of: 'sale' as const },
        ),
        approval: fc.constantFrom('advertiser', 'member', 'days'),
        afterMs: fc.constantFrom(0, 120_000),
      }),
    ) as fc.Arbitrary<FoldRules['partner']>,
  });

  it('any order, batching and repetition of judging books the same balances', () => {
    fc.assert(
      fc.property(withHands, anyRules, fc.infiniteStream(fc.nat()), (all, r, seq) => {
        const book = (order: Signal[]): string => {
          const ledger = new Map<string, bigint>();
          const stored: Signal[] = [];
          let end = foldOwner([], { ...rules, ...r }).conversions;
          for (const next of [...order, ...order.slice(0, 2)]) {
            if (!stored.includes(next)) stored.push(next);
            end = foldOwner(stored, { ...rules, ...r }).conversions;
            const target = new Map<string, bigint>();
            for (const c of end)
              for (const { kind, currency, balance } of balances(c))
                target.set(`${c.ident}|${kind}|${currency}`, balance);
            for (const k of new Set([...ledger.keys(), ...target.keys()])) {
              const delta = (target.get(k) ?? 0n) - (ledger.get(k) ?? 0n);
              ledger.set(k, (ledger.get(k) ?? 0n) + delta);
            }
          }
          const sums = [...ledger].filter(([, v]) => v !== 0n).sort();
          const calls = end.map((c) =>
            postbacksDue(c, once(['pending', 'approved'])).map((t) => `${t.status}${t.payout}`),
          );
          return JSON.stringify([sums, calls, end], (_, v) =>
            typeof v === 'bigint' ? `${v}` : (v as unknown),
          );
        };
        const shuffled = all
          .map((s) => [seq.next().value, s] as const)
          .sort((a, b) => a[0] - b[0])
          .map(([, s]) => s);
        expect(book(shuffled)).toBe(book(all));
      }),
      { numRuns: 300 },
    );
  });

  it('every receipt has exactly one verdict, and every conversion at least one receipt', () => {
    fc.assert(
      fc.property(withHands, anyRules, (all, r) => {
        const f = foldOwner(all, { ...rules, ...r });
        expect([...f.verdicts.keys()].sort()).toEqual(all.map((s) => s.receiptId).sort());
        const isSomebodys = (s: Signal): boolean =>
          !['several_matches', 'nothing_to_change'].includes(f.verdicts.get(s.receiptId)!.verdict);
        expect(f.conversions.flatMap((c) => c.receiptIds).sort()).toEqual(
          all
            .filter(isSomebodys)
            .map((s) => s.receiptId)
            .sort(),
        );
        for (const c of f.conversions) expect(c.transitions.length).toBeGreaterThan(0);
      }),
    );
  });
});
