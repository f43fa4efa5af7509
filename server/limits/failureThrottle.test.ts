import { expect, it } from '@jest/globals';
import { FailureThrottle } from './failureThrottle.ts';

it('closes to one address after so many failures, for a minute, and to no other', () => {
  const throttle = new FailureThrottle(3);
  for (let n = 0; n < 3; n++) {
    expect(throttle.isClosed('192.0.2.1', 1000)).toBe(false);
    throttle.failed('192.0.2.1', 1000);
  }
  expect(throttle.isClosed('192.0.2.1', 1001)).toBe(true);
  expect(throttle.isClosed('192.0.2.2', 1001)).toBe(false);
  expect(throttle.isClosed('192.0.2.1', 61_000)).toBe(false);
  throttle.failed('192.0.2.1', 61_000);
  expect(throttle.isClosed('192.0.2.1', 61_001)).toBe(false);
});
