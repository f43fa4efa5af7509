import { expect, it } from '@jest/globals';
import { delayBefore, FIRST_DELAY_MS, MAX_DELAY_MS, mayRetry } from './retries.ts';
import { isPublicAddress } from './outgoing.ts';

it('retries what may pass, and nothing else', () => {
  expect([null, 408, 429, 500, 503].map(mayRetry)).toEqual([true, true, true, true, true]);
  expect([200, 301, 400, 401, 404, 410].map(mayRetry)).toEqual([false, false, false, false, false, false]);
});

it('waits longer each time, jittered, up to the cap', () => {
  expect(delayBefore(1, 0)).toBe(FIRST_DELAY_MS / 2);
  expect(delayBefore(1, 1)).toBe(FIRST_DELAY_MS);
  expect(delayBefore(3, 1)).toBe(FIRST_DELAY_MS * 4);
  expect(delayBefore(99, 1)).toBe(MAX_DELAY_MS);
});

it('knows public addresses from all others', () => {
  for (const a of [
    '127.0.0.1',
    '10.1.2.3',
    '192.168.0.1',
    '169.254.169.254',
    '0.0.0.0',
    '::1',
    '::ffff:127.0.0.1',
    'fe80::1',
    'fc00::1',
    '::127.0.0.1',
    '::7f00:1',
    '::a01:203',
    '64:ff9b::7f00:1',
    '2002:7f00:1::',
    '::ffff:0:127.0.0.1',
    'x',
  ])
    expect([a, isPublicAddress(a)]).toEqual([a, false]);
  expect(isPublicAddress('81.82.0.1')).toBe(true);
  expect(isPublicAddress('2606:4700::1')).toBe(true);
});
