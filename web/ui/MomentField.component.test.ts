import { afterEach, expect, it } from '@jest/globals';
import type { VueWrapper } from '@vue/test-utils';
import { nextTick } from 'vue';
import { mounted } from '../../tests/mounting.ts';
import MomentField from './MomentField.vue';

let field: VueWrapper;
afterEach(() => field.unmount());
const time = (): HTMLInputElement => field.find<HTMLInputElement>('.time').element;

it('shows a moment as clocks in its zone do', () => {
  field = mounted(MomentField, {
    props: { modelValue: '2030-01-01T08:30:00.000Z', zone: 'Europe/Brussels', label: 'From' },
  });
  expect(time().value).toBe('09:30');
});

it('leaves a time that is being typed alone when the same moment is set again', async () => {
  field = mounted(MomentField, {
    props: { modelValue: '2029-12-31T23:00:00.000Z', zone: 'Europe/Brussels', label: 'From' },
  });
  time().value = '09:3';
  await field.find('.time').trigger('input');
  const typed = time().value;
  expect(typed).toMatch(/^09/);
  // As a saved draft gives it back, written differently.
  await field.setProps({ modelValue: '2029-12-31T23:00:00Z' });
  await nextTick();
  expect(time().value).toBe(typed);
  await field.setProps({ modelValue: '2030-01-01T10:15:00.000Z' });
  expect(time().value).toBe('11:15');
});
