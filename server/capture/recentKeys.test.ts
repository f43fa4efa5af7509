import { describe, expect, it } from '@jest/globals';
import { RecentKeys } from './recentKeys.ts';

describe('a map that forgets', () => {
  it('knows the newest half at any moment, the newest value of each, and never holds more than its limit', () => {
    const keys = new RecentKeys<number>(100);
    for (let i = 0; i < 1000; i++) {
      keys.set(`k${i}`, i);
      keys.set(`k${i - 1}`, -i);
      expect(keys.size).toBeLessThanOrEqual(101);
      expect(keys.get(`k${i}`)).toBe(i);
      for (let back = 1; back < 45 && back <= i; back++) expect(keys.get(`k${i - back}`)).toBeDefined();
      expect(keys.get(`k${i - 1}`)).toBe(-i);
    }
    expect(keys.get('k0')).toBeUndefined();
    expect(keys.get('never')).toBeUndefined();
  });
});
