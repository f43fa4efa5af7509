import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { watchInput, type WatchInput } from '../contract/index.ts';
import { DryRun, dryMoments, type DryMatch } from './dryRun.ts';

const HOUR = 3_600_000;
const watch = (more: Partial<WatchInput> = {}): WatchInput =>
  watchInput.parse({
    name: 'Sites that lose',
    subject: 'sub_site',
    sourceId: '01M8GACB3J4X3H04QYZZZFJ297',
    conditions: [{ figure: 'visits', is: '>=', than: 1 }],
    windowHours: 48,
    act: 'block',
    asks: false,
    ...more,
  });
const match = (value: string, spent = 1): DryMatch => ({
  value,
  name: value,
  seen: [],
  spentMicros: String(spent * 1e6),
});
const start = Date.UTC(2026, 2, 2, 8);

describe('a dry run', () => {
  it('finds each value once, until it ends, and rests before it acts on it again', () => {
    const run = new DryRun(watch({ restHours: 24 }), 'UTC');
    expect(run.check(start, [match('fern')])).toEqual(['fern']);
    expect(run.check(start + HOUR, [match('fern')])).toEqual([]);
    expect(run.check(start + 2 * HOUR, [])).toEqual([]);
    expect(run.check(start + 3 * HOUR, [match('fern')])).toEqual([]);
    expect(run.check(start + 27 * HOUR, [match('fern')])).toEqual(['fern']);
    expect(run.firings.map((f) => [(f.atMs - start) / HOUR, f.endedMs === null, f.step])).toEqual([
      [0, false, 'act'],
      [3, true, 'act'],
    ]);
  });

  it('acts as often as a day allows, the costliest first, and goes on with the next day', () => {
    const run = new DryRun(watch({ actsPerDay: 2 }), 'UTC');
    const all = [match('a', 1), match('b', 3), match('c', 2)];
    expect(run.check(start, all)).toEqual(['b', 'c']);
    expect(run.check(start + HOUR, all)).toEqual([]);
    expect(run.check(start + 24 * HOUR, all)).toEqual(['a']);
  });

  it('never has two open firings of one value, whatever matches', () => {
    fc.assert(
      fc.property(fc.array(fc.subarray(['a', 'b', 'c', 'd']), { maxLength: 40 }), (checks) => {
        const run = new DryRun(watch(), 'UTC');
        checks.forEach((values, i) =>
          run.check(
            start + i * HOUR,
            values.map((v) => match(v)),
          ),
        );
        for (const value of ['a', 'b', 'c', 'd']) {
          const of = run.firings.filter((f) => f.value === value);
          expect(of.slice(0, -1).every((f, i) => f.endedMs !== null && f.endedMs <= of[i + 1]!.atMs)).toBe(
            true,
          );
        }
      }),
    );
  });

  it('looks at the latest checks where there are too many', () => {
    expect(dryMoments({ everyMinutes: 60 }, 0, 4 * HOUR, 100)).toEqual([0, 1, 2, 3, 4].map((h) => h * HOUR));
    expect(dryMoments({ everyMinutes: 60 }, 0, 4.5 * HOUR, 2)).toEqual([3.5 * HOUR, 4.5 * HOUR]);
  });
});
