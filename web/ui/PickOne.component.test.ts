import { afterEach, expect, it, jest } from '@jest/globals';
import type { VueWrapper } from '@vue/test-utils';
import { nextTick } from 'vue';
import { mounted } from '../../tests/mounting.ts';
import FieldGroup from './FieldGroup.vue';
import PickOne from './PickOne.vue';

const options = [
  { value: '', label: 'any country' },
  { value: 'BE', label: 'Belgium' },
];
let field: VueWrapper;
afterEach(() => field.unmount());
const shown = (): string => field.find('[role="combobox"]').text();

it('shows an empty value as the choice that it is', async () => {
  field = mounted(PickOne, { props: { options, modelValue: '', ariaLabel: 'Country' } });
  expect(shown()).toBe('any country');
  await field.setProps({ modelValue: 'BE' });
  expect(shown()).toBe('Belgium');
});

it('hands on the value that was chosen, and says that it changed', async () => {
  field = mounted(PickOne, { props: { options, modelValue: '', ariaLabel: 'Country' } });
  await field.find('.p-select').trigger('click');
  await nextTick();
  const option = [...document.querySelectorAll('[role="option"]')].find((o) =>
    o.textContent!.includes('Belgium'),
  )!;
  option.dispatchEvent(new MouseEvent('mousedown', { bubbles: true }));
  await nextTick();
  expect(field.emitted('update:modelValue')).toEqual([['BE']]);
  expect(field.emitted('change')).toEqual([['BE']]);
});

it('is switched off with the group around it', () => {
  field = mounted({
    components: { FieldGroup, PickOne },
    setup: () => ({ options }),
    template: '<FieldGroup disabled><PickOne :options="options" model-value="BE" /></FieldGroup>',
  });
  expect(field.find('[role="combobox"]').attributes('aria-disabled')).toBe('true');
});

it('takes the focus when its label is clicked, without having the page laid out first', async () => {
  const seen = jest.spyOn(HTMLElement.prototype, 'offsetParent', 'get');
  field = mounted({
    components: { PickOne },
    setup: () => ({ options }),
    template:
      '<label for="country" id="country-label">Country</label><PickOne id="country" :options="options" />',
  });
  await field.find('label').trigger('click');
  expect(document.activeElement?.id).toBe('country');
  expect(seen).not.toHaveBeenCalled();
  seen.mockRestore();
});
