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

  it('rests only while it gives way', async () => {
    let [visits, now] = [0, 0];
    const way = new GiveWay(
      () => visits,
      () => now,
    );
    await way.rest(1_000_000);
    visits = 1000;
    now = 300;
    const began = performance.now();
    await way.rest(6);
    expect(performance.now() - began).toBeGreaterThanOrEqual(30);
  });
});
