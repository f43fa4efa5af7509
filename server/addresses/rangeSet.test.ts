import { expect, it } from '@jest/globals';
import fc from 'fast-check';
import { inRanges, parseRanges } from './addresses.ts';
import { rangeSet } from './rangeSet.ts';

it('knows addresses of both versions, and those of version 4 that are written as version 6', () => {
  const holds = rangeSet(['192.0.2.7', '198.51.100.0/24', '2001:db8::/33']);
  expect(['192.0.2.7', '198.51.100.255', '2001:db8::1', '::ffff:192.0.2.7'].map(holds)).toEqual(
    Array(4).fill(true),
  );
  expect(['192.0.2.8', '198.51.101.0', '2001:db9::1', 'nowhere', ''].map(holds)).toEqual(
    Array(5).fill(false),
  );
});
it('a range whose address lies inside it counts whole', () => {
  expect(rangeSet(['192.0.2.77/24'])('192.0.2.1')).toBe(true);
});
it('nothing is in an empty set', () => expect(rangeSet([])('192.0.2.1')).toBe(false));

const small = fc.tuple(fc.integer({ min: 0, max: 3 }), fc.integer({ min: 0, max: 255 }));
const address = small.map(([c, d]) => `10.0.${c}.${d}`);
const range = fc.tuple(address, fc.integer({ min: 20, max: 32 })).map(([a, bits]) => `${a}/${bits}`);

it('agrees with looking at each range', () => {
  fc.assert(
    fc.property(fc.array(range, { minLength: 1, maxLength: 12 }), address, (list, asked) => {
      expect(rangeSet(list)(asked)).toBe(inRanges(asked, parseRanges(list)));
    }),
  );
});
