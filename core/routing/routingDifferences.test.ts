import { describe, expect, it } from '@jest/globals';
import { routing, type Condition } from '../contract/index.ts';
import { routeTo } from './routing.ts';
import { routingDifferences } from './routingDifferences.ts';

const BOX = '00000000000000000000000001';
const JAR = '00000000000000000000000002';
const names: Record<string, string> = { [BOX]: 'Box', [JAR]: 'Jar', P: 'Story' };
const nameOf = (_field: string, value: string): string => names[value] ?? value;
const country = (...values: string[]): Condition => ({ on: 'country', op: 'is', values, zone: '' });
const branch = (id: string, when: Condition, more: object = {}) => ({
  id,
  name: `Branch ${id}`,
  when,
  pairings: [{ id: `${id}1`, offerIds: [BOX] }],
  ...more,
});
const routed = (...branches: object[]) => ({
  ...routeTo(BOX),
  routing: routing.parse({ branches, otherwise: { pairings: [{ id: 'o', offerIds: [BOX] }] } }),
});
const between = (a: ReturnType<typeof routed>, b: ReturnType<typeof routed>) =>
  routingDifferences(a, b, nameOf).map((d) => [d.field, d.before, d.after]);

describe('what differs between two routings', () => {
  it('is nothing between the same', () => {
    expect(between(routed(branch('a', country('NL'))), routed(branch('a', country('NL'))))).toEqual([]);
  });
  it('is a branch that came, one that went, and the order of those that stayed', () => {
    const [a, b, c] = [branch('a', country('NL')), branch('b', country('BE')), branch('c', country('PT'))];
    expect(between(routed(a, b), routed(b, a, c))).toEqual([
      ['Order of branches', 'Branch a, Branch b', 'Branch b, Branch a, Branch c'],
      ['Branch “Branch c”', '(none)', 'country is PT: by weight: Box'],
    ]);
    expect(between(routed(a, b), routed(b))).toEqual([
      ['Branch “Branch a”', 'country is NL: by weight: Box', '(removed)'],
    ]);
  });
  it('is each part of a branch that changed', () => {
    const pairings = [
      { id: 'a1', offerIds: [BOX], landingPageId: 'P', weight: 3 },
      { id: 'a2', offerIds: [JAR], isOn: false },
    ];
    const after = branch('a', country('NL', 'BE'), { pairings, split: 'weights' });
    expect(between(routed(branch('a', country('NL'))), routed(after))).toEqual([
      ['Branch “Branch a”, conditions', 'country is NL', 'country is NL or BE'],
      ['Branch “Branch a”, pairings', 'Box', 'Story → Box (weight 3); Jar (weight 1, off)'],
    ]);
  });
  it('is told of a campaign with one offer, too', () => {
    const one = routeTo(BOX);
    expect(routingDifferences(one, { ...one, offerId: JAR }, nameOf)).toEqual([
      { field: 'Otherwise, pairings', before: 'Box', after: 'Jar' },
    ]);
  });
});
