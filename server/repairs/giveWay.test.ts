import { describe, expect, it } from '@jest/globals';
import { GiveWay } from './giveWay.ts';

describe('giving way to visits', () => {
  it('takes little while visits come in, and all there is once they stop', () => {
    let [visits, now] = [0, 0];
    const way = new GiveWay(
      () => visits,
      () => now,
    );
    const after = (ms: number, more: number): number => {
      now += ms;
      visits += more;
      return way.portion.together;
    };
    const all = after(300, 0);
    expect(after(300, 150)).toBeLessThan(all);
    // Not asked again within a moment.
    expect(after(10, 0)).toBeLessThan(all);
    expect(after(300, 3)).toBe(all);
  });

  it('rests only while it gives way: longer than it worked, and never for long', async () => {
    let [visits, now] = [0, 0];
    const rests: number[] = [];
    const way = new GiveWay(
      () => visits,
      () => now,
      (ms) => Promise.resolve(rests.push(ms)),
    );
    await way.rest(1_000_000);
    expect(rests).toEqual([]);
    visits = 1000;
    now = 300;
    await way.rest(6);
    await way.rest(1_000_000);
    expect(rests[0]).toBeGreaterThan(6);
    expect(rests[1]).toBeLessThan(1000);
  });
});
