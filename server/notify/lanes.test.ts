import { describe, expect, it } from '@jest/globals';
import { BREAKER_AFTER, POSTBACKS_AT_ONCE, POSTBACKS_PER_SECOND } from '../limits/limits.ts';
import { Lanes } from './lanes.ts';

const NOW = 1_000_000;
describe('the lane of a source', () => {
  it('has so many places, whatever other sources do', () => {
    const lanes = new Lanes();
    for (let i = 0; i < POSTBACKS_AT_ONCE; i++) lanes.began('slow', NOW);
    expect([...lanes.free(['slow', 'other'], NOW)]).toEqual([['other', POSTBACKS_AT_ONCE]]);
    lanes.ended('slow', true, NOW);
    expect(lanes.free(['slow'], NOW).get('slow')).toBe(1);
  });

  it('sends so many a second, and no more after a clock that was set back', () => {
    const lanes = new Lanes();
    let sent = 0;
    const burst = (now: number): void => {
      for (let n = lanes.free(['s'], now).get('s') ?? 0; n > 0; n = lanes.free(['s'], now).get('s') ?? 0)
        for (let i = 0; i < n; i++) {
          lanes.began('s', now);
          lanes.ended('s', true, now);
          sent += 1;
        }
    };
    burst(NOW);
    expect(sent).toBe(POSTBACKS_PER_SECOND);
    burst(NOW + 100);
    expect(sent).toBe((POSTBACKS_PER_SECOND * 11) / 10);
    burst(NOW - 3_600_000);
    expect(sent).toBe((POSTBACKS_PER_SECOND * 11) / 10);
  });

  it('that does not answer lets one through at a time, ever more rarely, until it answers', () => {
    const lanes = new Lanes();
    const fail = (now: number): void => {
      lanes.began('dead', now);
      lanes.ended('dead', false, now);
    };
    for (let i = 0; i < BREAKER_AFTER; i++) fail(NOW);
    expect(lanes.broken()).toEqual(['dead']);
    const openedAfter = (from: number): number => {
      let ms = from;
      while (!lanes.free(['dead'], ms).has('dead')) ms += 100;
      return ms - from;
    };
    const pauses: number[] = [];
    let now = NOW;
    for (let i = 0; i < 8; i++) {
      const pause = openedAfter(now);
      pauses.push(pause);
      now += pause;
      expect(lanes.free(['dead'], now).get('dead')).toBe(1);
      fail(now);
    }
    expect(pauses).toEqual([1000, 2000, 4000, 8000, 16_000, 32_000, 60_000, 60_000]);
    // A clock that is set back by a day does not keep it waiting for a day.
    expect(lanes.free(['dead'], now - 86_400_000).get('dead')).toBe(1);
    lanes.ended('dead', true, now);
    expect(lanes.broken()).toEqual([]);
  });
});
