import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { unknownVisit } from '../visits/index.ts';
import { decide, drawWeighted, weightsOf, type CompiledWay, type Weighed } from './index.ts';

const pairing = (id: string, weight = 1, more: Partial<Weighed> = {}): Weighed => ({
  id,
  weight,
  isOn: true,
  fromMs: -Infinity,
  toMs: Infinity,
  ...more,
});
const way = (
  id: string,
  pairings: Weighed[],
  more: Partial<CompiledWay<Weighed>> = {},
): CompiledWay<Weighed> => ({
  id,
  name: id,
  holds: null,
  pairings,
  weights: weightsOf('weights', pairings),
  isAutomatic: false,
  hasTimes: pairings.some((p) => p.fromMs > -Infinity || p.toMs < Infinity),
  ...more,
});
const visitor = { visit: unknownVisit, address: '', nowMs: 1000 };
const draws = (...values: number[]) => {
  let i = 0;
  return () => values[i++ % values.length]!;
};
const chance = (more: object = {}) => ({ visitor, takes: () => true, before: '', random: draws(0), ...more });

describe('a draw', () => {
  it('gives each its share, never one without weight, and −1 when none has any', () => {
    const weights = [0, 3, 0, 1, 0];
    const N = 4000;
    const times = weights.map(() => 0);
    for (let i = 0; i < N; i++) times[drawWeighted(weights, i / N)]! += 1;
    expect(times).toEqual([0, 3000, 0, 1000, 0]);
    expect([drawWeighted([], 0.5), drawWeighted([0, 0], 0.5)]).toEqual([-1, -1]);
  });
  it('always finds one that has weight, whatever the weights and the chance', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 10_000 }), { minLength: 1, maxLength: 60 }),
        fc.double({ min: 0, max: 1, maxExcluded: true, noNaN: true }),
        (weights, random) => {
          const drawn = drawWeighted(weights, random);
          if (weights.every((w) => w === 0)) expect(drawn).toBe(-1);
          else expect(weights[drawn]).toBeGreaterThan(0);
        },
      ),
    );
  });
});

describe('a decision', () => {
  it('takes the first branch that holds and never a later one, also when it is closed', () => {
    const ways = [
      way('no', [pairing('a')], { holds: () => false }),
      way('first', [pairing('b')], { holds: () => true }),
      way('second', [pairing('c')], { holds: () => true }),
      way('otherwise', [pairing('d')]),
    ];
    expect(decide(ways, chance())).toMatchObject({
      way: { id: 'first' },
      pairing: { id: 'b' },
      isOpen: true,
    });
    const closed = decide(ways, chance({ takes: (p: Weighed) => p.id !== 'b' }));
    expect(closed).toMatchObject({ way: { id: 'first' }, pairing: { id: 'b' }, isOpen: false });
    expect(decide(ways.slice(0, 1).concat(ways.slice(3)), chance())).toMatchObject({
      way: { id: 'otherwise' },
    });
  });
  it('re-weights over those that can take the visitor: shares are those of their weights alone', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 0, max: 9 }), fc.boolean()), { minLength: 1, maxLength: 6 }),
        (list) => {
          const pairings = list.map(([weight], i) => pairing(`p${i}`, weight));
          const takes = ({ id }: Weighed): boolean => list[Number(id.slice(1))]![1];
          const ways = [way('otherwise', pairings)];
          const STEPS = 60;
          const times = pairings.map(() => 0);
          for (let a = 0; a < STEPS; a++)
            for (let b = 0; b < STEPS; b++) {
              const random = draws((a + 0.5) / STEPS, (b + 0.5) / STEPS);
              const { pairing: got, isOpen } = decide(ways, chance({ takes, random }));
              if (isOpen) times[pairings.indexOf(got)]! += 1;
            }
          const open = list.map(([weight, can]) => (can ? weight : 0));
          const total = open.reduce((sum, w) => sum + w, 0);
          times.forEach((n, i) => {
            const wanted = total === 0 ? 0 : open[i]! / total;
            expect(Math.abs(n / STEPS / STEPS - wanted)).toBeLessThan(0.06);
            if (open[i] === 0) expect(n).toBe(0);
          });
        },
      ),
      { numRuns: 60 },
    );
  });
  it('says, when nothing is open, which was drawn first by full weight', () => {
    const ways = [way('otherwise', [pairing('a', 1), pairing('b', 3)])];
    const closed = (first: number) =>
      decide(ways, chance({ takes: () => false, random: draws(first) })).pairing.id;
    expect([closed(0.1), closed(0.3), closed(0.9)]).toEqual(['a', 'b', 'b']);
  });
  it('leaves out what is off, not yet or no longer open, or without weight', () => {
    const pairings = [
      pairing('off', 9, { isOn: false }),
      pairing('later', 9, { fromMs: 1001 }),
      pairing('over', 9, { toMs: 1000 }),
      pairing('none', 0),
      pairing('now', 1, { fromMs: 1000, toMs: 1001 }),
    ];
    for (const random of [0, 0.4, 0.99])
      expect(decide([way('otherwise', pairings)], chance({ random: draws(random) })).pairing.id).toBe('now');
    expect(weightsOf('even', [pairing('a', 7), pairing('b', 0), pairing('c', 2)])).toEqual([1, 0, 1]);
  });
  it('keeps the pairing that a returning visitor had, inside the branch that holds now, while it is open', () => {
    const ways = [
      way('first', [pairing('a', 1000), pairing('b', 1)], { holds: ({ nowMs }) => nowMs < 2000 }),
      way('otherwise', [pairing('c')]),
    ];
    expect(decide(ways, chance({ before: 'b' })).pairing.id).toBe('b');
    expect(decide(ways, chance({ before: 'c' })).pairing.id).toBe('a');
    expect(decide(ways, chance({ before: 'b', takes: (p: Weighed) => p.id !== 'b' })).pairing.id).toBe('a');
    const off = [way('otherwise', [pairing('a'), pairing('b', 1, { isOn: false })])];
    expect(decide(off, chance({ before: 'b' })).pairing.id).toBe('a');
  });
});

describe('an automatic split', () => {
  const pairings = [pairing('a', 5), pairing('b', 1), pairing('new', 1), pairing('off', 1, { isOn: false })];
  const ways = [way('otherwise', pairings, { weights: weightsOf('automatic', pairings), isAutomatic: true })];
  const N = 3000;
  const shares = (odds?: (id: string) => number | undefined, takes: (p: Weighed) => boolean = () => true) => {
    const times: Record<string, number> = {};
    for (let i = 0; i < N; i++) {
      const { id } = decide(
        ways,
        chance({ odds, takes, random: draws(i / N, (i * 7 + 0.5) / N - Math.floor((i * 7) / N)) }),
      ).pairing;
      times[id] = (times[id] ?? 0) + 1 / N;
    }
    return times;
  };
  it('is even, whatever the typed weights, until there are odds', () => {
    for (const none of [undefined, () => undefined])
      expect(shares(none)).toEqual({
        a: expect.closeTo(1 / 3, 2),
        b: expect.closeTo(1 / 3, 2),
        new: expect.closeTo(1 / 3, 2),
      });
  });
  it('draws by the odds; a pairing without any is drawn like the others on average', () => {
    const odds = new Map([
      ['a', 0.9],
      ['b', 0.1],
      ['off', 0.5],
    ]);
    // 0.9, 0.1 and their mean of 0.5.
    expect(shares((id) => odds.get(id))).toEqual({
      a: expect.closeTo(0.6, 2),
      b: expect.closeTo(0.0667, 2),
      new: expect.closeTo(0.333, 2),
    });
    expect(
      shares(
        (id) => odds.get(id),
        (p) => p.id !== 'a',
      ).a,
    ).toBeUndefined();
  });
});
