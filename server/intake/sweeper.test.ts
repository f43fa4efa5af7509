import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { SweepWindow } from './sweeper.ts';

describe('what the sweep looks at', () => {
  it('is everything at the start, then only what is two seconds old and has not been looked at', () => {
    const window = new SweepWindow();
    const first = window.next('100', 0);
    expect(first).toEqual({ since: '', upTo: '100' });
    window.done(first);
    // Younger than two seconds: nothing.
    expect(window.next('140', 1000)).toEqual({ since: '100', upTo: '100' });
    expect(window.next('150', 2500)).toEqual({ since: '100', upTo: '100' });
    const later = window.next('170', 3000);
    expect(later).toEqual({ since: '100', upTo: '140' });
    window.done(later);
    expect(window.next('180', 4600)).toEqual({ since: '140', upTo: '150' });
  });

  it('is looked at again until it was looked at to its end', () => {
    const window = new SweepWindow();
    window.next('100', 0);
    expect(window.next('200', 5000)).toEqual({ since: '', upTo: '100' });
    expect(window.next('300', 8000)).toEqual({ since: '', upTo: '200' });
  });

  it('is everything again when another database stands behind the address', () => {
    const window = new SweepWindow();
    window.done(window.next('9000', 0));
    expect(window.next('50', 1000)).toEqual({ since: '', upTo: '50' });
  });

  it('leaves no transaction out, however the sweeps come', () => {
    const step = fc.record({
      pause: fc.integer({ min: 1, max: 4000 }),
      more: fc.nat(50),
      isDone: fc.boolean(),
    });
    fc.assert(
      fc.property(fc.array(step, { maxLength: 40 }), (steps) => {
        const window = new SweepWindow();
        let [now, xmin, seen] = [0, 10, 0];
        for (const { pause, more, isDone } of steps) {
          now += pause;
          xmin += more;
          const { since, upTo } = window.next(String(xmin), now);
          // What comes next joins what has been seen, and nothing is said to be seen that was under way.
          expect(since === '' ? 0 : Number(since)).toBe(seen);
          expect(Number(upTo)).toBeLessThanOrEqual(xmin);
          if (!isDone) continue;
          window.done({ since, upTo });
          seen = Number(upTo);
        }
      }),
    );
  });
});
