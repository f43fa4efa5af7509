import { describe, expect, it } from '@jest/globals';
import { RecentKeys } from './recentKeys.ts';

describe('a map that forgets', () => {
  it('knows the newest half at any moment, the newest value of each, and never holds more than its limit', () => {
    const keys = new RecentKeys<number>(100);
    for (let i = 0; i < 1000; i++) {
      keys.set(`k${i}`, i);
      keys.set(`k${i - 1}`, -i);
      const lost = Array.from({ length: Math.min(45, i) }, (_, back) => `k${i - back}`).filter(
        (key) => keys.get(key) === undefined,
      );
      const isSmall = keys.size <= 101;
      expect([isSmall, keys.get(`k${i}`), keys.get(`k${i - 1}`), lost]).toEqual([true, i, -i, []]);
    }
    expect(keys.get('k0')).toBeUndefined();
    expect(keys.get('never')).toBeUndefined();
  });
});
