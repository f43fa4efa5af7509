import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { emptyRegister, latest, standingOfKey, takeIn, type KeyRegister, type Said } from './registers.ts';
import { dueOf, needsConfirmation, standingOf, type FeedSet, type Standing, type Told } from './sets.ts';

const entry = (key: string, amount: number, eventTypeId = 'search') => ({
  key,
  eventTypeId,
  amount: BigInt(amount),
  currency: 'USD',
});
const set = (asOf: number, entries: ReturnType<typeof entry>[], more: Partial<FeedSet> = {}): FeedSet => ({
  id: String(asOf),
  asOf,
  isFinal: false,
  isComplete: true,
  isWaiting: false,
  entries,
  ...more,
});
const final = (asOf: number, entries: ReturnType<typeof entry>[], more: Partial<FeedSet> = {}): FeedSet =>
  set(asOf, entries, { isFinal: true, ...more });
const said = (sets: FeedSet[]): string[] =>
  standingOf(sets, 'pending')
    .map((s) => `${s.key} ${s.status} ${s.status === 'rejected' ? '' : s.amount}`.trim())
    .sort();

describe('what stands', () => {
  it('is the latest estimate of each key until a final comes', () => {
    expect(said([set(1, [entry('a', 5), entry('b', 2)]), set(2, [entry('a', 7)])])).toEqual([
      'a pending 7',
      'b pending 2',
    ]);
    expect(standingOf([set(1, [entry('a', 5)])], 'approved')[0]!.status).toBe('approved');
  });
  it('is what the latest complete final names; what it leaves out is rejected', () => {
    const sets = [set(1, [entry('a', 5), entry('b', 2)]), final(3, [entry('a', 6)])];
    expect(said(sets)).toEqual(['a approved 6', 'b rejected']);
    // A late estimate follows no final, also one that tells of a later time.
    expect(said([...sets, set(9, [entry('a', 50), entry('c', 1)])])).toEqual([
      'a approved 6',
      'b rejected',
      'c rejected',
    ]);
    expect(said([...sets, final(4, [entry('a', 6), entry('b', 3)])])).toEqual([
      'a approved 6',
      'b approved 3',
    ]);
    // An earlier one that comes late changes nothing.
    expect(said([...sets, final(2, [entry('b', 9)])])).toEqual(['a approved 6', 'b rejected']);
  });
  it('takes no final that is cut off or waits to be confirmed', () => {
    const sets = [set(1, [entry('a', 5)])];
    expect(said([...sets, final(2, [entry('b', 1)], { isComplete: false })])).toEqual(['a pending 5']);
    expect(said([...sets, final(2, [], { isWaiting: true })])).toEqual(['a pending 5']);
    expect(said([...sets, final(2, [])])).toEqual(['a rejected']);
  });
  it('of a key that came twice in a set is the later row; what never had an amount is nothing', () => {
    expect(said([set(1, [entry('a', 5), entry('a', 6), entry('z', 0)])])).toEqual(['a pending 6']);
    expect(said([set(1, [entry('a', 5)]), set(2, [entry('a', 0)])])).toEqual(['a pending 0']);
    expect(said([set(1, [entry('a', 5)]), final(2, [entry('a', 0)])])).toEqual(['a rejected']);
  });
});

it('a final that is empty or has less than half of the estimates waits', () => {
  expect(needsConfirmation([], [])).toBe(true);
  expect(needsConfirmation([entry('a', 5)], [entry('a', 10)])).toBe(false);
  expect(needsConfirmation([entry('a', 4)], [entry('a', 9)])).toBe(true);
  expect(needsConfirmation([entry('a', 4)], [])).toBe(false);
});

describe('the law', () => {
  const sets = fc.uniqueArray(
    fc.record({
      id: fc.integer({ min: 0, max: 9999 }).map(String),
      asOf: fc.integer({ min: 1, max: 12 }),
      isFinal: fc.boolean(),
      isComplete: fc.boolean(),
      isWaiting: fc.constant(false),
      entries: fc.array(
        fc.record({
          key: fc.constantFrom('a', 'b', 'c'),
          eventTypeId: fc.constantFrom('search', 'click'),
          amount: fc.constantFrom(0n, 1n, 5n),
          currency: fc.constantFrom('USD', 'EUR'),
        }),
        { maxLength: 4 },
      ),
    }),
    { selector: (s) => s.id, maxLength: 7 },
  );
  /** As a run tells it, set after set; some of them come twice. */
  function told(arrivals: readonly FeedSet[]): Map<string, Told> {
    const all = new Map<string, Told>();
    const there = new Map<string, FeedSet>();
    for (const s of arrivals) {
      there.set(s.id, s);
      for (const t of dueOf(standingOf([...there.values()], 'pending'), [...all.values()])) {
        const name = `${t.eventTypeId}|${t.key}`;
        const last = all.get(name);
        // The books go by the time of change: the last one told has to be the latest.
        expect(t.changedAt).toBeGreaterThan(last?.changedAt ?? 0);
        // Nothing that is decided becomes undecided again.
        if (last && last.status !== 'pending') expect(t.status).not.toBe('pending');
        all.set(name, t);
      }
    }
    return all;
  }
  const plain = ({ key, eventTypeId, status, amount, currency }: Told | Standing): string =>
    [eventTypeId, key, status, ...(status === 'rejected' ? [] : [amount, currency])].join(' ');

  it('in any order and with any repeats, what was told last is what stands', () => {
    fc.assert(
      fc.property(
        sets.chain((s) =>
          fc.tuple(
            fc.constant(s),
            fc.shuffledSubarray([...s, ...s], { minLength: 2 * s.length, maxLength: 2 * s.length }),
          ),
        ),
        ([inOrder, shuffled]) => {
          const stands = standingOf(inOrder, 'pending').map(plain).sort();
          expect([...told(shuffled).values()].map(plain).sort()).toEqual(stands);
        },
      ),
      { numRuns: 500 },
    );
  });

  it('is the same when it is remembered by key, whatever comes late or twice', () => {
    fc.assert(
      fc.property(
        sets.chain((s) =>
          fc.tuple(
            fc.constant(s),
            fc.shuffledSubarray([...s, ...s], { minLength: 2 * s.length, maxLength: 2 * s.length }),
          ),
        ),
        ([inOrder, shuffled]) => {
          const keys = new Map<string, KeyRegister>();
          let dayFinal: Said | null = null;
          for (const s of shuffled.filter((one) => !one.isFinal || one.isComplete)) {
            if (s.isFinal) dayFinal = latest(dayFinal, { asOf: s.asOf, setId: s.id });
            for (const e of s.entries) {
              const name = `${e.eventTypeId}|${e.key}`;
              keys.set(name, takeIn(keys.get(name) ?? emptyRegister(e), s, e));
            }
          }
          const remembered = [...keys.values()].flatMap((k) => standingOfKey(k, dayFinal, 'pending') ?? []);
          expect(remembered.map(plain).sort()).toEqual(standingOf(inOrder, 'pending').map(plain).sort());
        },
      ),
      { numRuns: 500 },
    );
  });
});
