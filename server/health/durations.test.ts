import { expect, it } from '@jest/globals';
import { Durations } from './durations.ts';

it('counts into cumulative buckets, bounds included', () => {
  const durations = new Durations([0.01, 0.1]);
  for (const seconds of [0.001, 0.01, 0.05, 3]) durations.observe(seconds);
  expect(durations.lines('took', 'kind="visit"')).toEqual([
    'took_bucket{kind="visit",le="0.01"} 2',
    'took_bucket{kind="visit",le="0.1"} 3',
    'took_bucket{kind="visit",le="+Inf"} 4',
    'took_sum{kind="visit"} 3.061',
    'took_count{kind="visit"} 4',
  ]);
});
