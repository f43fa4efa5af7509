import { expect, it } from '@jest/globals';
import { condition, type Condition } from '@tracheon/core/contract';
import { conditionFields } from '@tracheon/core/visits';
import { fieldChoices, newLeaf, readCondition, writeCondition } from './editedCondition.ts';

const site = (value: string) => ({ on: 'sub_site', op: 'is' as const, values: [value], zone: '' });

it.each<Condition>([
  { all: [site('a'), { not: site('b') }] },
  { any: [site('a'), { all: [site('b'), site('c')] }, { not: { any: [site('d')] } }] },
])('what is not changed is written as it was read: %j', (c) => {
  expect(writeCondition(readCondition(c))).toEqual(c);
});
it('a single comparison becomes a list of one', () => {
  expect(writeCondition(readCondition(site('a')))).toEqual({ all: [site('a')] });
  expect(writeCondition(readCondition({ not: site('a') }))).toEqual({ all: [{ not: site('a') }] });
});
it('every field can be chosen, and begins with a comparison that it has', () => {
  const names = fieldChoices(['site']).map((f) => f.value);
  expect(names[0]).toBe('sub_site');
  expect(names).toHaveLength(conditionFields.length);
  for (const name of names) {
    const leaf = newLeaf(name);
    const issues =
      condition.safeParse({ ...leaf, values: leaf.values.length > 0 ? leaf.values : ['1'] }).error?.issues ??
      [];
    // Nothing but the made-up value may be wrong.
    for (const i of issues) expect(i.message).toMatch(/“1”/);
  }
});
