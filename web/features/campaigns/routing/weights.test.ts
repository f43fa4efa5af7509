import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { asPercents, moveBorder } from './weights.ts';

const weights = fc.array(fc.integer({ min: 0, max: 10_000 }), { minLength: 2, maxLength: 12 });
const sum = (list: readonly number[]): number => list.reduce((total, n) => total + n, 0);

describe('weights as percents', () => {
  it.each([
    [
      [1, 1],
      [50, 50],
    ],
    [
      [1, 1, 1],
      [34, 33, 33],
    ],
    [
      [3, 1],
      [75, 25],
    ],
    [
      [0, 5],
      [0, 100],
    ],
    [
      [9999, 1],
      [99, 1],
    ],
    [
      [0, 0],
      [0, 0],
    ],
  ])('%j is %j', (given, wanted) => expect(asPercents(given)).toEqual(wanted));
  it('add up to 100, and nobody loses or wins all', () => {
    fc.assert(
      fc.property(weights, (list) => {
        fc.pre(sum(list) > 0);
        const percents = asPercents(list);
        expect(sum(percents)).toBe(100);
        list.forEach((w, i) => expect(percents[i]! > 0).toBe(w > 0));
      }),
    );
  });
});
describe('a border that is dragged', () => {
  it('gives one share what it takes from the other', () => {
    expect(moveBorder([1, 1], 0, 1, 10)).toEqual([60, 40]);
    expect(moveBorder([1, 1, 2], 1, 2, -5)).toEqual([25, 20, 55]);
  });
  it('stops where a share would end', () => {
    expect(moveBorder([1, 1], 0, 1, 90)).toEqual([99, 1]);
    expect(moveBorder([1, 1], 0, 1, -90)).toEqual([1, 99]);
  });
  it('leaves a share without weight out of it', () => {
    expect(moveBorder([1, 0, 1], 0, 2, 5)).toEqual([55, 0, 45]);
  });
});
