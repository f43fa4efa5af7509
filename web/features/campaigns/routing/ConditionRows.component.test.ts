import { afterEach, expect, it } from '@jest/globals';
import type { VueWrapper } from '@vue/test-utils';
import PrimeVue from 'primevue/config';
import type { Condition } from '@tracheon/core/contract';
import { mounted } from '../../../../tests/mounting.ts';
import ConditionRows from './ConditionRows.vue';

const site = (value: string) => ({ on: 'sub_site', op: 'is' as const, values: [value], zone: '' });
let rows: VueWrapper;
afterEach(() => rows.unmount());
const mount = (modelValue: Condition, error = (_path: string): string | undefined => undefined) => {
  rows = mounted(ConditionRows, {
    props: { modelValue, subs: ['site'], isTried: true, error },
    // Its values are fields of their own, with the desk's parts behind them.
    global: { plugins: [PrimeVue], stubs: { ValuesField: true } },
  });
};
const press = (label: string): Promise<void> => {
  const button = rows.findAll('button').find((b) => (b.attributes('aria-label') ?? b.text()) === label);
  return button!.trigger('click');
};
const changed = (): unknown => (rows.emitted('update:modelValue') ?? []).at(-1)?.[0];

it('shows a group with how it is joined, and changes what is inside it', async () => {
  mount({ all: [site('a'), { not: { any: [site('b'), site('c')] } }] });
  const group = rows.find('[role="group"][aria-label="Group 2"]');
  expect(group.find('[role="combobox"]').text()).toBe('none of these holds');
  await press('Remove condition 2.1');
  expect(changed()).toEqual({ all: [site('a'), { not: { any: [site('c')] } }] });
});
it('adds a group, and conditions to it', async () => {
  mount({ all: [site('a'), { any: [site('b')] }] });
  await press('Add condition to group 2');
  const country = { on: 'country', op: 'is', values: [], zone: '' };
  expect(changed()).toEqual({ all: [site('a'), { any: [site('b'), country] }] });
  await press('Add group');
  expect(changed()).toEqual({ all: [site('a'), { any: [site('b'), country] }, { any: [country] }] });
});
it('shows what is wrong inside a group where it stands', () => {
  const asked: string[] = [];
  mount({ all: [{ not: { any: [site('b')] } }] }, (path) => {
    asked.push(path);
    return path === 'all.0.not.any.0.values' ? 'Wrong here.' : undefined;
  });
  expect(asked).toContain('all.0.not.any.0.values');
  expect(rows.find('[role="group"]').text()).toContain('Wrong here.');
});
