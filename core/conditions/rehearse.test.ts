import { expect, it } from '@jest/globals';
import type { Condition, ConditionLeaf, Routing } from '../contract/index.ts';
import { unknownVisit } from '../visits/index.ts';
import { rehearse } from './index.ts';

const is = (on: string, ...values: string[]): ConditionLeaf => ({ on, op: 'is', values, zone: '' });
const way = { split: 'weights' as const, pairings: [] };
const branch = (id: string, when: Condition) => ({ ...way, id, name: id, when });
const routing: Routing = {
  branches: [
    branch('a', { all: [is('country', 'BE'), is('device', 'tablet')] }),
    branch('b', { any: [is('country', 'BE'), is('os', 'iOS')] }),
    branch('c', is('country', 'BE')),
  ],
  otherwise: way,
};
const visitor = { visit: { ...unknownVisit, country: 'BE', device: 'phone' }, address: '', nowMs: 0 };

it('says of each branch whether it was asked, and which of its conditions held', () => {
  const { number, branches } = rehearse(routing, visitor, 'UTC');
  expect(number).toBe(2);
  expect(branches.map((b) => [b.branchId, b.answer, b.parts.map((p) => p.holds)])).toEqual([
    ['a', 'doesn’t match', [true, false]],
    ['b', 'matches', [true, false]],
    ['c', 'not asked', []],
  ]);
});
it('otherwise takes whom nobody takes, also while a pattern is being typed', () => {
  const typing: Routing = {
    ...routing,
    branches: [
      branch('a', { on: 'sub_site', op: 'matches', values: ['(x'], zone: '' }),
      branch('b', is('country')),
    ],
  };
  expect(rehearse(typing, visitor, 'UTC').number).toBe(0);
});
