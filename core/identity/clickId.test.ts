import { expect, it } from '@jest/globals';
import fc from 'fast-check';
import { clickIdDay, clickIdTime, makeUlid, parseClickId } from './clickId.ts';

it('tells the time it was made from', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 0, max: 4102444800000 }),
      fc.array(fc.nat(31), { minLength: 16, maxLength: 16 }),
      (ms, r) => {
        const id = makeUlid(ms, r);
        expect(clickIdTime(id)).toBe(ms);
        expect(parseClickId(`  ${id.toLowerCase()} `)).toBe(id);
        expect(clickIdDay(id)).toBe(new Date(ms).toISOString().slice(0, 10));
      },
    ),
  );
});

it('refuses what is no click ID', () => {
  for (const text of ['', '#ref#', '01KAXR7QJ4', '8ZZZZZZZZZZZZZZZZZZZZZZZZZ', '01ARZ3NDEKTSV4RRFFQ69G5FAU'])
    expect(parseClickId(text)).toBeNull();
});

it('a time between two milliseconds is the earlier one', () => {
  const random = Array.from({ length: 16 }, (_, i) => i);
  expect(makeUlid(1_764_072_943_123.7, random)).toBe(makeUlid(1_764_072_943_123, random));
});

it('knows no click ID whose time lies beyond any calendar', () => {
  expect(parseClickId('7ZZZZZZZZZZZZZZZZZZZZZZZZZ')).toBeNull();
  const last = makeUlid(Date.UTC(9999, 11, 31, 23, 59, 59, 999), new Array<number>(16).fill(31));
  expect([parseClickId(last), clickIdDay(last)]).toEqual([last, '9999-12-31']);
  expect(parseClickId(makeUlid(Date.UTC(10_000, 0, 1), new Array<number>(16).fill(0)))).toBeNull();
});
